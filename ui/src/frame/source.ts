import { useSyncExternalStore } from "react";

/** A value that lives outside of React, and the components that follow it. */
export interface Source<T> {
  readonly get: () => T;
  /** Sets the value and renders those that follow it. */
  readonly set: (value: T) => void;
  /** Renders those that follow it when what is read from elsewhere may have changed. */
  readonly changed: () => void;
  readonly use: () => T;
  /** What read gives, rendered anew when that is another value; read must give the same value while nothing changed. */
  readonly useOf: <R>(read: () => R) => R;
}

/**
 * The one place where a component subscribes to something outside of React. The function that subscribes is made once: one
 * made in a render is a new subscription at each render. follow runs with the first follower, and what it returns once the last one is gone.
 */
export function source<T>(first: T, follow?: (changed: () => void) => (() => void) | undefined): Source<T> {
  let value = first;
  let stop: (() => void) | undefined;
  const listeners = new Set<() => void>();
  const changed = () => listeners.forEach((l) => l());
  const subscribe = (listener: () => void) => {
    listeners.add(listener);
    if (listeners.size === 1) stop = follow?.(changed);
    return () => {
      listeners.delete(listener);
      if (listeners.size > 0) return;
      stop?.();
      stop = undefined;
    };
  };
  const get = () => value;
  return {
    get,
    set: (v) => {
      value = v;
      changed();
    },
    changed,
    use: () => useSyncExternalStore(subscribe, get),
    useOf: (read) => useSyncExternalStore(subscribe, read),
  };
}
