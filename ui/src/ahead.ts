import type { QueryClient } from "@tanstack/react-query";
import { api } from "./api/client";
import { pageRows } from "./horizon/rows";
import { filtersOf, viewOf } from "./horizon/view";
import { morningRows } from "./morning/rows";
import { sessionQuery, signOutOwed } from "./people/owed";

/** The pages that read, each in a file of its own. */
export const pages = {
  morning: () => import("./morning/MorningPage"),
  account: () => import("./account/AccountPage"),
  horizon: () => import("./horizon/HorizonPage"),
  entries: () => import("./entries/EntriesPage"),
  bench: () => import("./bench/BenchPage"),
};

/** What failed is asked for again by the page, which says so. */
const asked = () => undefined;

/** Asks for the page of an address and for what it shows, side by side, before the first thing is drawn. */
export function fetchAhead(client: QueryClient, { pathname, search }: Location) {
  client.query(sessionQuery).catch(asked);
  // The server says so when a session came with the request: then what the page needs is asked for before it is
  // known whose it is.
  const opened = document.querySelector('meta[name="opened"]') !== null && signOutOwed() === undefined;
  const data = (queryKey: readonly unknown[], queryFn: (signal: AbortSignal) => Promise<unknown>) => {
    if (opened) client.query({ queryKey, queryFn: ({ signal }) => queryFn(signal), retry: false }).catch(asked);
  };
  const [, first = "", second = ""] = pathname.split("/");
  const filters = filtersOf(viewOf(new URLSearchParams(search)));
  switch (first) {
    case "":
      void pages.morning();
      data(["morning", morningRows], (signal) => api.morning(morningRows, signal));
      return;
    case "units":
      void pages.account();
      data(["account", decodeURIComponent(second)], (signal) => api.account(decodeURIComponent(second), signal));
      return;
    case "horizon":
      void pages.horizon();
      if (filters) {
        data(["horizon", filters, 0], (signal) => api.horizon({ ...filters, offset: 0, limit: pageRows }, signal));
      }
      return;
    case "bench":
      void pages.bench();
      data(["bench"], (signal) => api.questions(signal));
  }
}
