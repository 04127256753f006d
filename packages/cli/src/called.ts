import process from "node:process";

/** How the command is called where it is called just now: advice that can be copied. */
export const quill = process.env.npm_command === "exec" ? "npx loyal-quill" : "quill";
