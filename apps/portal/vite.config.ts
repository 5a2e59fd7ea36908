import react from '@vitejs/plugin-react';
import { defineConfig } from 'vite';

export default defineConfig({
  plugins: [react()],
  build: { target: 'es2023', chunkSizeWarningLimit: 800 },
  server: { proxy: { '/portal/v1': 'http://127.0.0.1:4182' } },
});
