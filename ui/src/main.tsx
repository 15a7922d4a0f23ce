import "@fontsource-variable/atkinson-hyperlegible-mono/index.css";
import "@fontsource-variable/atkinson-hyperlegible-next/index.css";
import { ChakraProvider } from "@chakra-ui/react";
import createCache from "@emotion/cache";
import { CacheProvider } from "@emotion/react";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode, Suspense, lazy } from "react";
import { createRoot } from "react-dom/client";
import { BrowserRouter, Route, Routes } from "react-router";
import { Problem } from "./api/client";
import { NoPage } from "./NoPage";
import { SessionGate } from "./people/SessionGate";
import { Waiting } from "./frame/State";
import { system } from "./theme";
import "./rows.css";

// Each page is fetched when it is opened first.
const MorningPage = lazy(() => import("./morning/MorningPage").then((m) => ({ default: m.MorningPage })));
const AccountPage = lazy(() => import("./account/AccountPage").then((m) => ({ default: m.AccountPage })));
const HorizonPage = lazy(() => import("./horizon/HorizonPage").then((m) => ({ default: m.HorizonPage })));
const PlanPage = lazy(() => import("./plan/PlanPage").then((m) => ({ default: m.PlanPage })));
const BenchPage = lazy(() => import("./bench/BenchPage").then((m) => ({ default: m.BenchPage })));
const RegisterPage = lazy(() => import("./people/RegisterPage").then((m) => ({ default: m.RegisterPage })));
const LinkPage = lazy(() => import("./people/LinkPage").then((m) => ({ default: m.LinkPage })));

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
            <Suspense fallback={<Waiting what="the page" />}>
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
            </Suspense>
          </BrowserRouter>
        </QueryClientProvider>
      </ChakraProvider>
    </CacheProvider>
  </StrictMode>,
);
