/**
 * Has the browser keep the program itself, so that it opens without a signal. A new version takes the place of the old one when
 * a page is loaded from the server; what waits on the device is in a database of its own and is not touched by it.
 */
export function keepShell() {
  if (!("serviceWorker" in navigator) || !import.meta.env.PROD) return;
  navigator.serviceWorker
    .register("/sw.js")
    .then((registration) => {
      // The page that is shown was just loaded: with a connection it is of the new version already.
      if (navigator.onLine) registration.waiting?.postMessage({ type: "SKIP_WAITING" });
    })
    .catch(() => undefined);
}
