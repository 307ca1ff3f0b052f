import react from "@vitejs/plugin-react";
import { defineConfig } from "vite";

/** The console is served by Kivet itself under /console/; in development, calls go to a service on the usual port. */
export default defineConfig({
  base: "/console/",
  plugins: [react()],
  build: {
    // The component library is one chunk of its own: it changes least.
    chunkSizeWarningLimit: 700,
    rolldownOptions: {
      output: {
        codeSplitting: {
          groups: [
            { name: "react", test: /node_modules[\\/](react|react-dom|react-router|scheduler)[\\/]/, priority: 2 },
            { name: "antd", test: /node_modules[\\/](antd|@ant-design|@rc-component)[\\/]/, priority: 1 },
          ],
        },
      },
    },
  },
  server: { proxy: { "/api": "http://127.0.0.1:8484", "/pic": "http://127.0.0.1:8484" } },
});
