import { ThemeProvider } from '@mui/material/styles';
import { SnackbarProvider } from 'notistack';
import { useMemo } from 'react';
import { RouterProvider } from 'react-router';
import { ModeContext, themeOf, useModeState } from '@virga/parts';
import { router } from './router';
import { SessionGate } from './session-gate';

/** The whole console: theme, sign-in, screens. */
export function App() {
  const mode = useModeState();
  const theme = useMemo(() => themeOf(mode.mode), [mode.mode]);
  return (
    <ModeContext value={mode}>
      <ThemeProvider theme={theme}>
        <SnackbarProvider maxSnack={3} autoHideDuration={5000} anchorOrigin={{ vertical: 'bottom', horizontal: 'right' }}>
          <SessionGate>
            <RouterProvider router={router} />
          </SessionGate>
        </SnackbarProvider>
      </ThemeProvider>
    </ModeContext>
  );
}
