import { useEffect, useState } from "react";

/** A record of a page by its address, with what saves some of its fields: tied to its ETag, so that nobody's change is overwritten unseen. */
export function useRecord(address: string) {
  const [record, setRecord] = useState<{ title: string; values: Record<string, unknown> }>();
  const [etag, setTag] = useState("");
  const [problems, setProblems] = useState<readonly { pointer: string; detail: string }[]>([]);
  const take = async (response: Response): Promise<void> => {
    const json = await response.json();
    if (!response.ok) return setProblems(json.errors ?? [{ pointer: "", detail: json.title }]);
    setTag(response.headers.get("etag") ?? "");
    setRecord(json);
    setProblems([]);
  };
  const ask = (method: string, more: Record<string, string>, body: string | null = null): Promise<void> =>
    fetch(address, { method, headers: { accept: "application/json", ...more }, body }).then(take, () =>
      setProblems([{ pointer: "", detail: "The server can’t be reached. Try again." }]),
    );
  // biome-ignore lint/correctness/useExhaustiveDependencies: the record is loaded once for each address
  useEffect(() => void ask("GET", {}), [address]);
  const save = (values: Record<string, unknown>): Promise<void> =>
    ask("PATCH", { "content-type": "application/json", "if-match": etag }, JSON.stringify(values));
  return { record, problems, save };
}
