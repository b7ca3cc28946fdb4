import tailwindcss from '@tailwindcss/vite'
import react from '@vitejs/plugin-react'
import type { Plugin } from 'vite'
import { defineConfig } from 'vitest/config'

/** The two fonts of the first screen are asked for with the page, so that nothing is set twice. */
function preloadFonts(): Plugin {
  return {
    name: 'preload-fonts',
    transformIndexHtml: {
      order: 'post',
      handler: (_, { bundle }) =>
        Object.keys(bundle ?? {})
          .filter((file) => /-latin-wght-normal-.*\.woff2$/.test(file))
          .map((file) => ({
            tag: 'link',
            attrs: { rel: 'preload', href: `/${file}`, as: 'font', type: 'font/woff2', crossorigin: 'anonymous' },
            injectTo: 'head',
          })),
    },
  }
}

/** Tests that put other modules in the place of ours: each starts with modules of its own, which takes a second. */
const ALONE = ['src/**/*.alone.test.{ts,tsx}']

export default defineConfig({
  plugins: [react(), tailwindcss(), preloadFonts()],
  build: { chunkSizeWarningLimit: 900 },
  server: { proxy: { '/api': { target: 'http://127.0.0.1:8417', ws: true } } },
  test: {
    environment: 'jsdom',
    pool: 'threads',
    // One process of the machine's two: a second one would only start all that the tests share once more.
    maxWorkers: 1,
    projects: [
      { extends: true, test: { name: 'shared', include: ['src/**/*.test.{ts,tsx}'], exclude: ALONE, isolate: false } },
      { extends: true, test: { name: 'alone', include: ALONE } },
    ],
  },
})
