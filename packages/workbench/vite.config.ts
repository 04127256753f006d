import react from "@vitejs/plugin-react";
import { defaultClientConditions, defineConfig } from "vite";

const server = process.env.QUILL_SERVER ?? "http://127.0.0.1:4310";

export default defineConfig({
  base: "/workbench/",
  plugins: [react()],
  resolve: { conditions: ["quill-source", ...defaultClientConditions] },
  build: { target: "es2023", sourcemap: false, chunkSizeWarningLimit: 700 },
  server: {
    host: "127.0.0.1",
    port: 4311,
    // Everything but the workbench's own modules comes from the server that `npm run dev` starts beside this one.
    proxy: {
      "^/(?!workbench/(?!api))": { target: server, changeOrigin: true },
      "^/workbench/api": { target: server, changeOrigin: true },
    },
  },
});
