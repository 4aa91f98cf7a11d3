// Compress what the build made, ahead: the server then sends the smallest that a browser takes.
import { readdirSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { brotliCompressSync, constants, gzipSync } from "node:zlib";

const PACKED = /\.(js|css|html|svg|json)$/;

function* files(folder) {
  for (const entry of readdirSync(folder, { withFileTypes: true })) {
    const path = join(folder, entry.name);
    if (entry.isDirectory()) yield* files(path);
    else if (PACKED.test(entry.name)) yield path;
  }
}

for (const path of files("dist")) {
  const data = readFileSync(path);
  if (data.length < 600) continue;
  writeFileSync(`${path}.gz`, gzipSync(data, { level: 9 }));
  const params = { [constants.BROTLI_PARAM_QUALITY]: 11, [constants.BROTLI_PARAM_SIZE_HINT]: data.length };
  writeFileSync(`${path}.br`, brotliCompressSync(data, { params }));
}
