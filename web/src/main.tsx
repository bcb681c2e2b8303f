import createCache from "@emotion/cache";
import { CacheProvider } from "@emotion/react";
import CssBaseline from "@mui/material/CssBaseline";
import { ThemeProvider } from "@mui/material/styles";
import { MutationCache, QueryCache, QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { App } from "./App";
import { Refusal } from "./api/client";
import "./theme/fonts.css";
import { onEnded, start } from "./outbox/outbox";
import { startTheme } from "./theme/mode";
import { theme } from "./theme/theme";
import { Hatches } from "./ui/hatch";
import { parse } from "./reading/parse";

const nonce = document.querySelector<HTMLMetaElement>('meta[name="csp-nonce"]')?.content;
const cache = createCache({ key: "s", nonce, prepend: true });
// a session that is over asks for the sign-in above the page, which keeps what was typed
const signedOut = (error: Error, me: boolean) => {
  if (error instanceof Refusal && error.status === 401 && !me)
    void client.invalidateQueries({ queryKey: ["me"] });
};
const client: QueryClient = new QueryClient({
  queryCache: new QueryCache({
    onError: (error, query) => {
      signedOut(error, query.queryKey[0] === "me");
    },
  }),
  mutationCache: new MutationCache({
    onError: (error) => {
      signedOut(error, false);
    },
  }),
  defaultOptions: {
    queries: {
      retry: (n, e) => !(e instanceof Refusal && e.status > 0) && n < 2,
      refetchOnWindowFocus: false,
    },
  },
});

// the browser tests hold this parser to the server's table of cases
(window as unknown as { spannungParse: typeof parse }).spannungParse = parse;

startTheme();
onEnded((e) => {
  signedOut(e, false);
});
start();

const root = document.getElementById("root");
if (root)
  createRoot(root).render(
    <StrictMode>
      <CacheProvider value={cache}>
        <ThemeProvider theme={theme}>
          <CssBaseline />
          <Hatches />
          <QueryClientProvider client={client}>
            <App />
          </QueryClientProvider>
        </ThemeProvider>
      </CacheProvider>
    </StrictMode>,
  );
