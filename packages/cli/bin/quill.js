#!/usr/bin/env node
import module from "node:module";
import os from "node:os";
import path from "node:path";

// What Node.js has made of our modules is kept from one start to the next, where it can (22.8 and later), and where nobody else writes: a directory
// that others share could hold what they want to have run.
try {
  const kept = process.env.XDG_CACHE_HOME || path.join(os.homedir(), ".cache");
  module.enableCompileCache?.(path.join(kept, "loyal-quill"));
} catch {
  // Who has no home starts without.
}

const { run } = await import("../dist/run.js");
await run(process.argv);
