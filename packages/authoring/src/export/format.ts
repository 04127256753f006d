import * as estree from "prettier/plugins/estree";
import * as typescript from "prettier/plugins/typescript";
import { format } from "prettier/standalone";

/** TypeScript, laid out. */
export const laidOut = (text: string): Promise<string> =>
  format(text, { parser: "typescript", plugins: [typescript, estree as never], printWidth: 120 });
