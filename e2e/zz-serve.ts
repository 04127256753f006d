import { startDemo, freePort } from "loyal-quill";
import { chmod, mkdtemp, writeFile } from "node:fs/promises";
const directory = await mkdtemp("/tmp/lq-shot-"); await chmod(directory, 0o711);
const started = await startDemo({ port: 4777, directory, fresh: false }, () => {});
await writeFile("/tmp/shot.json", JSON.stringify({ address: started.address, accounts: started.accounts, ownerUrl: started.ownerUrl }));
await writeFile("/tmp/shot.pid", String(process.pid));
process.on("SIGTERM", async () => { await started.stop(); process.exit(0); });
setInterval(() => {}, 1e6);
