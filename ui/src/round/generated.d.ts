declare module "*/core/wasm_exec.js";
