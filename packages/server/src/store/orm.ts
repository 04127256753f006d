/**
 * MikroORM as it is needed here. It is required and not imported: of a CommonJS package that is imported Node reads each file twice, once for the
 * names that it exports, and this one has hundreds of files. A server is ready a tenth earlier so.
 */
import { createRequire } from "node:module";

const require = createRequire(import.meta.url);

export const { defineEntity, p, raw } = require("@mikro-orm/core") as typeof import("@mikro-orm/core");
export const { MikroORM } = require("@mikro-orm/postgresql") as typeof import("@mikro-orm/postgresql");
export type MikroORM = import("@mikro-orm/postgresql").MikroORM;
