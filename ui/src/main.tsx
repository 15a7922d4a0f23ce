import "@fontsource-variable/atkinson-hyperlegible-mono/index.css";
import "@fontsource-variable/atkinson-hyperlegible-next/index.css";
import { ChakraProvider } from "@chakra-ui/react";
import createCache from "@emotion/cache";
import { CacheProvider } from "@emotion/react";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { BrowserRouter, Route, Routes } from "react-router";
import { AccountPage } from "./account/AccountPage";
import { BenchPage } from "./bench/BenchPage";
import { Problem } from "./api/client";
import { HorizonPage } from "./horizon/HorizonPage";
import { MorningPage } from "./morning/MorningPage";
import { NoPage } from "./NoPage";
import { LinkPage } from "./people/LinkPage";
import { RegisterPage } from "./people/RegisterPage";
import { SessionGate } from "./people/SessionGate";
import { PlanPage } from "./plan/PlanPage";
import { system } from "./theme";

// The server lets only styles with this nonce into the page.
const nonce = document.querySelector<HTMLMetaElement>('meta[name="style-nonce"]')?.content;
const styles = createCache({ key: "dl", nonce });

const client = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 5_000,
      refetchOnWindowFocus: true,
      retry: (tries, error) => tries < 2 && !(error instanceof Problem && error.status >= 400 && error.status < 500),
    },
  },
});

const root = document.getElementById("root");
if (!root) throw new Error("index.html has no #root");
createRoot(root).render(
  <StrictMode>
    <CacheProvider value={styles}>
      <ChakraProvider value={system}>
        <QueryClientProvider client={client}>
          <BrowserRouter useTransitions={false}>
            <Routes>
              <Route path="/link/:token" element={<LinkPage />} />
              <Route
                path="*"
                element={
                  <SessionGate>
                    <Routes>
                      <Route path="/" element={<MorningPage />} />
                      <Route path="/units/:code" element={<AccountPage />} />
                      <Route path="/horizon" element={<HorizonPage />} />
                      <Route path="/plan" element={<PlanPage />} />
                      <Route path="/bench" element={<BenchPage />} />
                      <Route path="/register" element={<RegisterPage />} />
                      <Route path="*" element={<NoPage />} />
                    </Routes>
                  </SessionGate>
                }
              />
            </Routes>
          </BrowserRouter>
        </QueryClientProvider>
      </ChakraProvider>
    </CacheProvider>
  </StrictMode>,
);
