import { defineConfig } from "vite";

// Five files with fixed names, as the server links them in by name (CMakeLists.txt); their
// version is told by ETag. The worker is an entry of its own: it is loaded by its address.
export default defineConfig({
  esbuild: { jsx: "automatic", jsxImportSource: "preact" },
  build: {
    target: "es2022",
    emptyOutDir: true,
    assetsInlineLimit: 0,
    modulePreload: false,
    cssCodeSplit: false,
    rollupOptions: {
      input: { console: "index.html", digest_worker: "src/digest_worker.ts" },
      output: {
        entryFileNames: "[name].js",
        chunkFileNames: "[name].js",
        assetFileNames: "console[extname]",
      },
    },
  },
});
