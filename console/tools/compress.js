// Packs the built files once, so that the service need not pack them at every
// request.
import { readdirSync, readFileSync, statSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { brotliCompressSync, constants, gzipSync } from "node:zlib";

const folder = join(import.meta.dirname, "../dist/assets");
const packable = /\.(js|css|svg|json)$/;

for (const name of readdirSync(folder)) {
  const path = join(folder, name);
  if (!packable.test(name) || !statSync(path).isFile()) continue;
  const data = readFileSync(path);
  writeFileSync(path + ".gz", gzipSync(data, { level: 9 }));
  writeFileSync(path + ".br", brotliCompressSync(data, { params: { [constants.BROTLI_PARAM_QUALITY]: 11 } }));
}
writeFileSync(join(folder, "../.gitkeep"), "");
