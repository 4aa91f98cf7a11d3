// The service worker with the list of what the build made: it keeps these, and is new when any of them is.
import { createHash } from "node:crypto";
import { readdirSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";

// Of the fonts only what Latin letters need: the others are fetched where they are wanted.
const KEPT = /\.(js|css|svg)$|latin-wght-normal.*\.woff2$/;
const files = readdirSync("dist/assets")
  .filter((name) => KEPT.test(name))
  .map((name) => `/assets/${name}`)
  .sort();
files.push("/", "/mark.svg", "/recorder-worklet.js");
const source = readFileSync(join("src", "offline", "sw.js"), "utf8");
const version = createHash("sha256").update(files.join()).update(source).update(readFileSync("dist/index.html")).digest("hex").slice(0, 12);
writeFileSync("dist/sw.js", source.replace("__VERSION__", version).replace("__FILES__", JSON.stringify(files)));
