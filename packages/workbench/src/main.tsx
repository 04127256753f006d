import "@fontsource/alegreya-sans/400.css";
import "@fontsource/alegreya-sans/400-italic.css";
import "@fontsource/alegreya-sans/700.css";
import "@fontsource/fira-mono/400.css";
import { QueryCache, QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { ErrorBoundary } from "react-error-boundary";
import { BrowserRouter } from "react-router";
import { ThemeProvider } from "styled-components";
import { ApiProblem, place, signedOut } from "./api/client.js";
import { App } from "./app.js";
import { GlobalStyle } from "./global-style.js";
import { Broken } from "./parts/part.js";
import { theme } from "./theme.js";

const queries: QueryClient = new QueryClient({
  queryCache: new QueryCache({
    // What somebody may do was changed: the places above follow.
    onError: (error, { queryKey: [asked] }) => {
      if (error instanceof ApiProblem && error.status === 403 && asked !== "session")
        void queries.invalidateQueries({ queryKey: ["session"] });
    },
  }),
  defaultOptions: {
    queries: {
      staleTime: 30_000,
      // What is refused would be refused again; what failed, or was not reached, may have been a moment's.
      retry: (failed, error) =>
        failed < 1 && !(error instanceof ApiProblem && error.status >= 400 && error.status < 500),
      refetchOnWindowFocus: false,
    },
  },
});

// What could not be had without a session is asked for anew once there is one again.
signedOut.subscribe(() => {
  if (signedOut.get()) return;
  void queries.invalidateQueries({ queryKey: ["session"] });
  void queries.refetchQueries({ predicate: ({ state }) => state.status === "error" });
});

const root = document.getElementById("root");
if (!root) throw new Error("The document has no element with the id root.");

createRoot(root).render(
  <StrictMode>
    <QueryClientProvider client={queries}>
      <ThemeProvider theme={theme}>
        <GlobalStyle />
        {/* Without transitions: a filter that is set right after another one must find the other in the address. */}
        <BrowserRouter basename={place} useTransitions={false}>
          <ErrorBoundary FallbackComponent={Broken}>
            <App />
          </ErrorBoundary>
        </BrowserRouter>
      </ThemeProvider>
    </QueryClientProvider>
  </StrictMode>,
);
