/// <reference lib="webworker" />
// The core with its words, beside the page: what is asked of it never holds up a thumb.
import "../../core/wasm_exec.js";
import core from "../../core/core.wasm?url";

/** A call of a function of the core with its texts. */
export interface Call {
  readonly id: number;
  readonly name: string;
  readonly texts: readonly string[];
}

/** Its answer, JSON, or why there is none. */
export interface Answered {
  readonly id: number;
  readonly answer?: string;
  readonly failed?: string;
}

interface GoProgram {
  readonly importObject: WebAssembly.Imports;
  run(instance: WebAssembly.Instance): Promise<void>;
}

declare const self: DedicatedWorkerGlobalScope & { Go: new () => GoProgram } & Record<string, unknown>;

async function start() {
  const go = new self.Go();
  const { instance } = await WebAssembly.instantiateStreaming(fetch(core), go.importObject);
  void go.run(instance);
}

const ready = start();

self.onmessage = (event: MessageEvent<Call>) => {
  const { id, name, texts } = event.data;
  const answer = (a: Omit<Answered, "id">) => self.postMessage({ id, ...a } satisfies Answered);
  ready.then(
    () => {
      const f = self[name];
      if (typeof f !== "function") answer({ failed: `the core has no ${name}` });
      else answer({ answer: String((f as (...t: readonly string[]) => unknown)(...texts)) });
    },
    (error: unknown) => answer({ failed: `the core cannot be started on this device: ${String(error)}` }),
  );
};
