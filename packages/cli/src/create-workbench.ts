import { type MountedWorkbench, mountWorkbench, type WorkbenchOptions } from "@loyal-quill/server";
import { workbenchDirectory } from "./workbench-directory.js";

/**
 * The workbench for an Express application of one's own, over its own sign-in: mounted at `/workbench`.
 *
 * @throws when the store or a database can't be reached
 * @example
 * const workbench = await createWorkbench({
 *   databases: { network: { pages, mount: "/records", database: process.env.DATABASE_URL } },
 *   store: process.env.STORE_URL,
 *   signingKey: process.env.QUILL_SIGNING_KEY,
 *   person: (request) => request.user ?? null,
 *   signIn: "/sign-in",
 * });
 * app.use("/workbench", workbench.router);
 */
export async function createWorkbench(options: WorkbenchOptions): Promise<MountedWorkbench> {
  const directory = workbenchDirectory();
  if (directory === null) throw new Error("The workbench is not built: npm run build.");
  return mountWorkbench(options, directory);
}
