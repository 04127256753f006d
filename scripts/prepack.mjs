// Run by npm before it packs a package: what is packed is what the build made, once, of the sources as they are now.
import { execFileSync } from "node:child_process";
import { existsSync } from "node:fs";
import path from "node:path";
import process from "node:process";
import { copyDocs } from "./copy-docs.mjs";

const root = path.dirname(import.meta.dirname);
const run = (...command) => execFileSync("npx", command, { cwd: root, stdio: ["ignore", 2, 2] });

run("tsc", "-b");
copyDocs(path.relative(root, process.cwd()));
// The workbench is built apart, and takes longer: `npm run build` makes it anew.
const made = path.join(root, "packages/workbench/dist/index.html");
if (path.basename(process.cwd()) === "workbench" && !existsSync(made))
  run("npm", "run", "build", "--workspace", "packages/workbench");
