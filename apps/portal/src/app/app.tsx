import { ThemeProvider } from '@mui/material/styles';
import { useQuery } from '@tanstack/react-query';
import { ModeContext, ProblemNotice, themeOf, useModeState } from '@virga/parts';
import { SnackbarProvider } from 'notistack';
import { useEffect, useMemo } from 'react';
import { RouterProvider } from 'react-router';
import { SiteContext, siteQuery } from '../client/site';
import { router } from './router';

/** The whole portal: the operator's look, who is signed in, screens. */
export function App() {
  const mode = useModeState();
  const theme = useMemo(() => themeOf(mode.mode), [mode.mode]);
  const { data: site, error } = useQuery(siteQuery);
  useEffect(() => {
    if (!site) return;
    document.title = site.name;
    document.documentElement.style.setProperty('--brand', site.colour);
  }, [site]);
  return (
    <ModeContext value={mode}>
      <ThemeProvider theme={theme}>
        <SnackbarProvider maxSnack={3} autoHideDuration={5000} anchorOrigin={{ vertical: 'bottom', horizontal: 'right' }}>
          {site ? (
            <SiteContext value={site}>
              <RouterProvider router={router} />
            </SiteContext>
          ) : (
            error && (
              <main className="page">
                <ProblemNotice error={error} />
              </main>
            )
          )}
        </SnackbarProvider>
      </ThemeProvider>
    </ModeContext>
  );
}
