// `npm run schema`: writes docs/page.schema.json from the schema that reads page files. A test holds the two against each other.
import { writeFileSync } from "node:fs";
import path from "node:path";
import { pageJsonSchema } from "../packages/core/dist/page/json-schema.js";

const file = path.join(path.dirname(import.meta.dirname), "docs/page.schema.json");
writeFileSync(file, `${JSON.stringify(pageJsonSchema(), null, 2)}\n`);
