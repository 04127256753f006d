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
  // biome-ignore lint/correctness/useExhaustiveDependencies: the record is loaded once for each address
  useEffect(() => void fetch(address, { headers: { accept: "application/json" } }).then(take), [address]);
  const save = (values: Record<string, unknown>): Promise<void> =>
    fetch(address, {
      method: "PATCH",
      headers: { accept: "application/json", "content-type": "application/json", "if-match": etag },
      body: JSON.stringify(values),
    }).then(take);
  return { record, problems, save };
}
