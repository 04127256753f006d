import { InvalidArgumentError, Option } from "commander";

/** Which database. */
export const database = (): Option =>
  new Option("--database <url>", "the database whose records are edited").env("DATABASE_URL");
/** Takes an option that may be repeated. */
export const collected = (text: string, before: readonly string[]): string[] => [...before, text];

/** Takes `name=value`. */
export function pair(text: string, before: Readonly<Record<string, string>>): Record<string, string> {
  const [, name, value] = /^([A-Za-z_]\w*)=(.*)$/s.exec(text) ?? [];
  if (name === undefined || value === undefined) throw new InvalidArgumentError("An attribute is written name=value.");
  return { ...before, [name]: value };
}

/** A control's name and the column that it is for; no column where nothing stands after the sign. A name may have any signs in it. */
export function controlColumn(text: string, before: Readonly<Record<string, string>>): Record<string, string> {
  const [, name, column] = /^(.+)=([^=]*)$/s.exec(text) ?? [];
  if (name === undefined || column === undefined)
    throw new InvalidArgumentError("A control and its column are written NAME=COLUMN, or NAME= for none.");
  return { ...before, [name]: column };
}

/** An option that takes a whole number. */
export const numberOption = (flags: string, description: string, least: number, most: number): Option =>
  new Option(flags, description).argParser((text) => {
    const number = Number(text);
    if (!Number.isInteger(number) || number < least || number > most)
      throw new InvalidArgumentError(`It is a whole number from ${least} to ${most}.`);
    return number;
  });

function portNumber(text: string): number {
  const port = Number(text);
  if (!Number.isInteger(port) || port < 1 || port > 65_535)
    throw new InvalidArgumentError("A port is a whole number from 1 to 65535.");
  return port;
}

/** Where it listens. */
export const port = (): Option =>
  new Option("--port <number>", "port (environment: PORT; otherwise 4310 or the next free one)")
    .argParser(portNumber)
    .env("PORT");
