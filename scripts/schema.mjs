// `npm run schema`: writes docs/page.schema.json from the schema that reads page files, docs/findings.md from the catalogue of findings, and
// docs/rules.md from the rules, docs/settings.md from the settings.
// A test holds each against what it was made from.
import { writeFileSync } from "node:fs";
import path from "node:path";
import { findingsPage } from "../packages/core/dist/findings/finding-codes.js";
import { pageJsonSchema } from "../packages/core/dist/page/json-schema.js";
import { rulesPage } from "../packages/core/dist/rules/rules-page.js";
import { settingsPage } from "../packages/core/dist/settings/settings-page.js";

const docs = path.join(path.dirname(import.meta.dirname), "docs");
writeFileSync(path.join(docs, "page.schema.json"), `${JSON.stringify(pageJsonSchema(), null, 2)}\n`);
writeFileSync(path.join(docs, "findings.md"), findingsPage());
writeFileSync(path.join(docs, "rules.md"), rulesPage());
writeFileSync(path.join(docs, "settings.md"), settingsPage());
