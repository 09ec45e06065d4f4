import react from '@vitejs/plugin-react';
import { defineConfig } from 'vite';

export default defineConfig({
  plugins: [react()],
  // The service's package carries the console that it serves.
  build: { outDir: '../server/dist/console', assetsInlineLimit: 0, chunkSizeWarningLimit: 900, emptyOutDir: true },
  // `npm run dev -w packages/console` beside a running service.
  server: { proxy: { '/v1': 'http://127.0.0.1:7461', '/docs': 'http://127.0.0.1:7461' } },
});
