// Runs the console's unit tests with Node's own runner: esbuild, which Vite brings, makes
// one file of each. Nothing of a browser is there; what needs one is tested in Chromium
// (tests/end_to_end/console_test.cc).
import { spawnSync } from "node:child_process";
import { mkdtempSync, readdirSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { build } from "esbuild";

const here = import.meta.dirname ?? new URL(".", import.meta.url).pathname;
const out = mkdtempSync(join(tmpdir(), "vantro-console-"));
try {
  const tests = readdirSync(here).filter((name) => name.endsWith("_test.ts"));
  await build({
    entryPoints: tests.map((name) => join(here, name)),
    outdir: out,
    outExtension: { ".js": ".mjs" },
    bundle: true,
    platform: "node",
    format: "esm",
    target: "node18",
    jsx: "automatic",
    jsxImportSource: "preact",
    define: { SOURCE: JSON.stringify(join(here, "../..")) },
  });
  const files = tests.map((name) => join(out, name.replace(/\.ts$/, ".mjs")));
  const { status } = spawnSync(process.execPath, ["--test", ...files], { stdio: "inherit" });
  process.exitCode = status ?? 1;
} finally {
  rmSync(out, { recursive: true });
}
