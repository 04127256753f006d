import type { Database, Row, Statement } from "@loyal-quill/core";
import type pg from "pg";
import { asText } from "./telling.js";

/** One connection as the core sees a database, for whoever has it alone: one statement after the other, without transactions of their own. */
export function overClient(client: pg.ClientBase): Database {
  let last: Promise<unknown> = Promise.resolve();
  const send = async ({ text, values }: Statement): Promise<readonly Row[]> =>
    (await client.query<Row>({ text, values: [...values], types: asText })).rows;
  return {
    run(statement) {
      const ask = (): Promise<readonly Row[]> => send(statement);
      const answer = last.then(ask, ask);
      last = answer.catch(() => {});
      return answer;
    },
    transaction: () => Promise.reject(new Error("Not inside of a transaction.")),
  };
}
