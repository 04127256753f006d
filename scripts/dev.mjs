// `npm run dev`: the demo from its sources, reloading: the server restarts when a source changes, the workbench is replaced
// in the open browser, page files are read anew by themselves. Workbench at 127.0.0.1:4311/workbench/, pages at both ports.
import { spawn } from "node:child_process";
import path from "node:path";
import process from "node:process";
import { CannotSetUp, root, setUp } from "./setup.mjs";

try {
  await setUp({ tests: false });
} catch (error) {
  process.stderr.write(`${error instanceof CannotSetUp ? error.message : error.stack}\n`);
  process.exit(1);
}

const bin = (name) => path.join(root, "node_modules/.bin", name);
const children = [
  spawn(
    bin("tsx"),
    [
      "watch",
      "--conditions=quill-source",
      "--include",
      "packages/*/src/**/*",
      "packages/cli/bin/quill.js",
      "start",
      "--port",
      "4310",
      ...process.argv.slice(2),
    ],
    { cwd: root, stdio: "inherit" },
  ),
  spawn(bin("vite"), [], { cwd: path.join(root, "packages/workbench"), stdio: "inherit" }),
];
for (const signal of ["SIGINT", "SIGTERM"])
  process.on(signal, () => children.forEach((child) => void child.kill(signal)));
await Promise.all(children.map((child) => new Promise((resolve) => child.on("close", resolve))));
