// Prints how many KiB of script the browser reads before the overview stands: the entry, the overview's page, and what
// either imports; not what comes later by itself.
import { readFileSync, statSync } from "node:fs";

const dist = new URL("../internal/app/dist/", import.meta.url);
const manifest = JSON.parse(readFileSync(new URL(".vite/manifest.json", dist), "utf8"));
const seen = new Set();
const visit = (key) => {
  if (seen.has(key)) return;
  seen.add(key);
  manifest[key].imports?.forEach(visit);
};
visit("index.html");
visit("src/features/overview/OverviewPage.tsx");
const size = (key) => statSync(new URL(manifest[key].file, dist)).size;
console.log(Math.ceil([...seen].reduce((sum, key) => sum + size(key), 0) / 1024));
