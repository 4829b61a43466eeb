import tailwindcss from '@tailwindcss/vite'
import react from '@vitejs/plugin-react'
import { defineConfig } from 'vite'

// The service serves what is built here. While working on the console, `npm
// run dev` passes API calls on to a running demo.
export default defineConfig({
  plugins: [react(), tailwindcss()],
  server: { proxy: { '/api': 'http://127.0.0.1:7420', '/in': 'http://127.0.0.1:7420' } },
})
