import { toJsonSchema } from "@valibot/to-json-schema";
import { pageSchema } from "./schema.js";

/** The page file's schema as JSON Schema (draft 2020-12), for editors: made from the one that reads the files. */
export const pageJsonSchema = (): Record<string, unknown> => ({
  ...toJsonSchema(pageSchema(), { target: "draft-2020-12", errorMode: "ignore" }),
  title: "Page file, loyal-quill/page@1",
});
