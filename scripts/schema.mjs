// `npm run schema`: writes docs/page.schema.json from the schema that reads page files, and docs/findings.md from the catalogue of findings.
// A test holds each against what it was made from.
import { writeFileSync } from "node:fs";
import path from "node:path";
import { findingsPage } from "../packages/core/dist/page/finding-codes.js";
import { pageJsonSchema } from "../packages/core/dist/page/json-schema.js";

const file = path.join(path.dirname(import.meta.dirname), "docs/page.schema.json");
writeFileSync(file, `${JSON.stringify(pageJsonSchema(), null, 2)}\n`);

writeFileSync(path.join(path.dirname(import.meta.dirname), "docs/findings.md"), findingsPage());
