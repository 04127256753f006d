import type { Ground } from "./ground.js";
import type { Record } from "./load.js";

/**
 * What does not agree between what was answered and what is stored; nothing where all is well.
 *
 * @param orderly whether everything that took effect must have been answered
 */
export async function disagreements(
  { rows, verified }: Pick<Ground, "rows" | "verified">,
  record: Record,
  orderly = false,
): Promise<string[]> {
  const wrong: string[] = [];
  const logged = await rows<{ text: string; times: number }>(
    `SELECT f->>'new' AS text, count(*)::int AS times FROM quill_log.change AS c, jsonb_array_elements(c.fields) AS f
     WHERE c.table_name = 'proof.slip' AND f->>'field' = 'body' GROUP BY 1`,
  );
  const times = new Map(logged.map((row) => [row.text, row.times]));
  for (const [text, fate] of record.fates) {
    const found = times.get(text) ?? 0;
    if (fate === "saved" && found !== 1) wrong.push(`"${text}" was told as saved and is in the log ${found} times`);
    if (fate === "not saved" && found !== 0) wrong.push(`"${text}" was told as not saved and is in the log`);
    // A connection that was kept alive may end just as something is sent along it; what the server has taken it must answer.
    if (fate === "unknown" && orderly && found > 0) wrong.push(`"${text}" was saved and had no answer`);
    if (fate === "unknown" && found > 1) wrong.push(`"${text}" is in the log ${found} times`);
  }
  const stored = await rows<{ id: number; body: string; logged: string | null; made: number }>(
    `SELECT s.id, s.body, (SELECT f->>'new' FROM quill_log.change AS c, jsonb_array_elements(c.fields) AS f
       WHERE c.table_name = 'proof.slip' AND c.record_key = jsonb_build_object('id', s.id::text) AND f->>'field' = 'body'
       ORDER BY c.id DESC LIMIT 1) AS logged, (SELECT count(*)::int FROM proof.slip AS o WHERE o.name = s.name) AS made
     FROM proof.slip AS s`,
  );
  for (const { id, body, logged: last, made } of stored) {
    if (last !== null && last !== body) wrong.push(`slip ${id} holds "${body}", the log's last word is "${last}"`);
    if (last === null && !body.startsWith("begin "))
      wrong.push(`slip ${id} holds "${body}", which the log does not know`);
    if (made > 1) wrong.push(`the new record "${body}" was made ${made} times`);
  }
  const here = new Set(stored.map(({ body }) => body));
  for (const text of record.made)
    if (record.fates.get(text) === "saved" && !here.has(text))
      wrong.push(`the new record "${text}" is not in the table`);
  // The chain of each record's changes has no gap: what one change left is what the next one found.
  const gaps = await rows<{ gaps: number }>(
    `SELECT count(*)::int AS gaps FROM (
       SELECT f->>'old' AS old, lag(f->>'new') OVER (PARTITION BY c.record_key ORDER BY c.id) AS before, c.operation
       FROM quill_log.change AS c, jsonb_array_elements(c.fields) AS f WHERE c.table_name = 'proof.slip' AND f->>'field' = 'body') AS x
     WHERE before IS NOT NULL AND old IS DISTINCT FROM before`,
  );
  if (gaps[0]?.gaps !== 0) wrong.push(`${gaps[0]?.gaps} changes in the log don't begin where the one before ended`);
  return [...wrong, ...(await verified())];
}
