import "@fontsource-variable/atkinson-hyperlegible-mono/index.css";
import "@fontsource-variable/atkinson-hyperlegible-next/index.css";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode, Suspense, lazy } from "react";
import { lazyWithChakra } from "./lazily";
import { createRoot } from "react-dom/client";
import { BrowserRouter, Route, Routes } from "react-router";
import { fetchAhead, pages } from "./ahead";
import { Problem } from "./api/client";
import { NoPage } from "./NoPage";
import { Place } from "./frame/Place";
import { SessionGate } from "./people/SessionGate";
import { Waiting } from "./frame/State";
import { keepShell } from "./frame/shell";
import "./base.css";
import "./rows.css";
import "./round.css";
import "./job.css";
import "./plan.css";

// Each page is fetched when it is opened first; those with forms bring Chakra UI along.
const MorningPage = lazy(() => pages.morning().then((m) => ({ default: m.MorningPage })));
const AccountPage = lazy(() => pages.account().then((m) => ({ default: m.AccountPage })));
const HorizonPage = lazy(() => pages.horizon().then((m) => ({ default: m.HorizonPage })));
const EntriesPage = lazy(() => pages.entries().then((m) => ({ default: m.EntriesPage })));
const BenchPage = lazy(() => pages.bench().then((m) => ({ default: m.BenchPage })));
const WorkListPage = lazyWithChakra(() => import("./plan/WorkListPage").then((m) => m.WorkListPage));
const BoardPage = lazy(() => import("./plan/BoardPage").then((m) => ({ default: m.BoardPage })));
const DayPage = lazy(() => import("./plan/DayPage").then((m) => ({ default: m.DayPage })));
const RegisterPage = lazyWithChakra(() => import("./people/RegisterPage").then((m) => m.RegisterPage));
const RecordsPage = lazy(() => import("./register/RecordsPage").then((m) => ({ default: m.RecordsPage })));
const RecordPage = lazy(() => import("./register/RecordPage").then((m) => ({ default: m.RecordPage })));
const ImportsPage = lazy(() => import("./register/ImportPage").then((m) => ({ default: m.ImportsPage })));
const ImportPage = lazy(() => import("./register/ImportPage").then((m) => ({ default: m.ImportPage })));
const RoundPage = lazy(() => import("./round/RoundPage").then((m) => ({ default: m.RoundPage })));
const WalkPage = lazy(() => import("./round/WalkPage").then((m) => ({ default: m.WalkPage })));
const ClosePage = lazy(() => import("./round/ClosePage").then((m) => ({ default: m.ClosePage })));
const DeskPage = lazy(() => import("./round/DeskPage").then((m) => ({ default: m.DeskPage })));
const SheetPage = lazy(() => import("./round/SheetPage").then((m) => ({ default: m.SheetPage })));
const TagsPage = lazy(() => import("./round/TagsPage").then((m) => ({ default: m.TagsPage })));
const ReportPage = lazy(() => import("./round/ReportPage").then((m) => ({ default: m.ReportPage })));
const JobsPage = lazy(() => import("./job/JobsPage").then((m) => ({ default: m.JobsPage })));
const StartPage = lazy(() => import("./job/StartPage").then((m) => ({ default: m.StartPage })));
const JobPage = lazy(() => import("./job/JobPage").then((m) => ({ default: m.JobPage })));
const LinkPage = lazyWithChakra(() => import("./people/LinkPage").then((m) => m.LinkPage));

const client = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 5_000,
      refetchOnWindowFocus: true,
      retry: (tries, error) => tries < 2 && !(error instanceof Problem && error.status >= 400 && error.status < 500),
    },
  },
});

fetchAhead(client, window.location);
keepShell();

const root = document.getElementById("root");
if (!root) throw new Error("index.html has no #root");
createRoot(root).render(
  <StrictMode>
    <QueryClientProvider client={client}>
      <BrowserRouter useTransitions={false}>
        <Place />
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
                    <Route path="/round" element={<RoundPage />} />
                    <Route path="/round/walk" element={<WalkPage />} />
                    <Route path="/round/close" element={<ClosePage />} />
                    <Route path="/round/desk" element={<DeskPage />} />
                    <Route path="/round/sheet" element={<SheetPage />} />
                    <Route path="/rounds/:id" element={<ReportPage />} />
                    <Route path="/tags" element={<TagsPage />} />
                    <Route path="/job" element={<JobsPage />} />
                    <Route path="/job/new" element={<StartPage />} />
                    <Route path="/job/:id" element={<JobPage />} />
                    <Route path="/plan" element={<BoardPage />} />
                    <Route path="/plan/list" element={<WorkListPage />} />
                    <Route path="/plan/day" element={<DayPage />} />
                    <Route path="/entries" element={<EntriesPage />} />
                    <Route path="/bench" element={<BenchPage />} />
                    <Route path="/register" element={<RegisterPage />} />
                    <Route path="/import" element={<ImportsPage />} />
                    <Route path="/import/:id" element={<ImportPage />} />
                    <Route path="/register/:of" element={<RecordsPage />} />
                    <Route path="/register/:of/:key" element={<RecordPage />} />
                    <Route path="*" element={<NoPage />} />
                  </Routes>
                </SessionGate>
              }
            />
          </Routes>
        </Suspense>
      </BrowserRouter>
    </QueryClientProvider>
  </StrictMode>,
);
