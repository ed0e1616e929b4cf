import { QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { BrowserRouter } from "react-router";
import { LiveProvider } from "./api/live";
import { Pages } from "./app/Pages";
import { newQueryClient } from "./app/queries";
import { Shell } from "./app/Shell";
import { SignIn } from "./app/SignIn";
import { watchFaults } from "./app/Troubles";
import "./index.css";

watchFaults();
createRoot(document.getElementById("root")!).render(
  <StrictMode>
    {location.pathname === "/enter" ? (
      <SignIn given={new URLSearchParams(location.search)} go={(to) => location.replace(to)} />
    ) : (
      <QueryClientProvider client={newQueryClient()}>
        <BrowserRouter>
          <LiveProvider>
            <Shell>
              <Pages />
            </Shell>
          </LiveProvider>
        </BrowserRouter>
      </QueryClientProvider>
    )}
  </StrictMode>,
);
