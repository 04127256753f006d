import { spawn } from "node:child_process";
import { chmod, mkdtemp, readdir, rm } from "node:fs/promises";
import { connect } from "node:net";
import os from "node:os";
import path from "node:path";
import { fileURLToPath } from "node:url";
import { expect, test } from "@jest/globals";
import { until } from "./index.js";

/** A process that starts servers, says where they listen, and never ends by itself. */
const starter = `
const { startPooler, startStandby } = await import("@loyal-quill/testing");
const { port, passwords } = JSON.parse(process.env.QUILL_TEST_CLUSTER);
const [pooler, standby] = await Promise.all([startPooler(port, { postgres: passwords.postgres }), startStandby(port, passwords.postgres)]);
console.log(JSON.stringify([pooler.port, standby.port]));
setInterval(() => {}, 1000);
`;

/** Whether anything listens at a port of loopback. */
const listens = (port: number): Promise<boolean> =>
  new Promise((resolve) => {
    const socket = connect(port, "127.0.0.1");
    const tell = (is: boolean): void => {
      socket.destroy();
      resolve(is);
    };
    socket.on("connect", () => tell(true)).on("error", () => tell(false));
  });

test("servers that a test started are gone, with what lay in their directories, when it is killed", async () => {
  const temporary = await mkdtemp(path.join(os.tmpdir(), "loyal-quill-killed-"));
  await chmod(temporary, 0o711);
  const child = spawn(process.execPath, ["--input-type=module", "--eval", starter], {
    cwd: fileURLToPath(new URL(".", import.meta.url)),
    env: { ...process.env, TMPDIR: temporary },
    stdio: ["ignore", "pipe", "inherit"],
  });
  const ports: readonly number[] = await new Promise((resolve, reject) => {
    child.stdout.once("data", (line: Buffer) => resolve(JSON.parse(line.toString())));
    child.once("exit", (code) => reject(new Error(`it ended with ${code}`)));
  });
  expect(await Promise.all(ports.map(listens))).toEqual([true, true]);
  expect(await readdir(temporary)).toHaveLength(2);
  child.kill("SIGKILL");
  await until(async () => (await readdir(temporary)).length === 0);
  expect(await Promise.all(ports.map(listens))).toEqual([false, false]);
  await rm(temporary, { recursive: true });
});
