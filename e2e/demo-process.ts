// The demo in a process of its own, so that whoever drives a browser does not take its time: begun by `demo.ts`.
import process from "node:process";
import { freePort, startDemo } from "loyal-quill";

const [, , directory = ""] = process.argv;
const { stop, ...started } = await startDemo({ port: await freePort(), directory, fresh: false }, () => {});
process.send?.(started);
process.once("message", async () => {
  await stop();
  process.exit(0);
});
