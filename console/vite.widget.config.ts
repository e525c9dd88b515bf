import { defineConfig } from "vite"

// The chat that pages of a business carry: one script without dependencies.
export default defineConfig({
  publicDir: false,
  build: {
    outDir: "dist",
    emptyOutDir: false,
    target: "es2020",
    lib: { entry: "widget/widget.ts", formats: ["iife"], name: "urgentParrot", fileName: () => "widget.js" },
  },
})
