import tailwindcss from '@tailwindcss/vite'
import vue from '@vitejs/plugin-vue'
import { defineConfig } from 'vite'

export default defineConfig({
  plugins: [vue(), tailwindcss()],
  // For work on the console: rolltop demo beside it answers the API.
  server: { proxy: { '/api': 'http://127.0.0.1:8470' } },
  build: { assetsInlineLimit: 0 },
})
