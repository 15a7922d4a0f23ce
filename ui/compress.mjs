// Puts a file compressed by Brotli (RFC 7932) beside each of the build that is worth it: the server sends it to
// browsers that take it. Node's own zlib, at its best.
import { readFileSync, readdirSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { brotliCompressSync, constants } from "node:zlib";

/** Bytes from which on a file is worth it. */
const least = 1400;

for (const file of readdirSync("dist", { recursive: true, encoding: "utf8" })) {
  if (!/\.(js|css|wasm|svg)$/.test(file)) continue;
  const content = readFileSync(join("dist", file));
  if (content.length < least) continue;
  writeFileSync(
    join("dist", `${file}.br`),
    brotliCompressSync(content, { params: { [constants.BROTLI_PARAM_SIZE_HINT]: content.length } }),
  );
}
