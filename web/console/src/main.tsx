import "@fontsource-variable/archivo";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { BrowserRouter } from "react-router";

import { routed } from "./api/base";
import { App } from "./App";
import { Look } from "./look/Look";

const queries = new QueryClient({
  defaultOptions: { queries: { retry: 1, refetchOnWindowFocus: false, staleTime: 5000 } },
});

const root = document.getElementById("root");
if (!root) throw new Error("the page has no root element");
createRoot(root).render(
  <StrictMode>
    <QueryClientProvider client={queries}>
      <Look>
        <BrowserRouter basename={routed}>
          <App />
        </BrowserRouter>
      </Look>
    </QueryClientProvider>
  </StrictMode>,
);
