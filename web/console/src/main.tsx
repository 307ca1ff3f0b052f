import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { App as AntApp, ConfigProvider } from "antd";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { BrowserRouter } from "react-router";
import { NotSignedIn } from "./api/client";
import { Console } from "./Console";
import { theme } from "./theme";
import "./console.css";
import "./pages/pages.css";

const queries = new QueryClient({
  defaultOptions: {
    queries: { staleTime: 10_000, retry: (count, error) => !(error instanceof NotSignedIn) && count < 1 },
  },
});

const root = document.getElementById("root");
if (!root) throw new Error("index.html has no #root");
createRoot(root).render(
  <StrictMode>
    <ConfigProvider theme={theme}>
      <AntApp>
        <QueryClientProvider client={queries}>
          <BrowserRouter basename="/console">
            <Console />
          </BrowserRouter>
        </QueryClientProvider>
      </AntApp>
    </ConfigProvider>
  </StrictMode>,
);
