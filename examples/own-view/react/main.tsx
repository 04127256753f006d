import { type FormEvent, StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { useRecord } from "./use-record.js";

function Levels({ address }: { address: string }) {
  const { record, problems, save } = useRecord(address);
  const shown = ["alert_m", "warning_m"];
  // What is wrong with none of the fields here: somebody else has changed the record, say, or the server is away.
  const elsewhere = problems.filter(({ pointer }) => !shown.includes(pointer.slice(1)));
  const said = elsewhere.length > 0 && <p role="alert">{elsewhere.map(({ detail }) => detail).join(" ")}</p>;
  if (!record) return said || <p>Loading…</p>;
  const send = (event: FormEvent<HTMLFormElement>): void => {
    event.preventDefault();
    void save(Object.fromEntries(new FormData(event.currentTarget)));
  };
  return (
    <form onSubmit={send}>
      <h1>{record.title}</h1>
      {said}
      {shown.map((name) => (
        <p key={name}>
          <label>
            {name} <input key={String(record.values[name])} name={name} defaultValue={String(record.values[name])} />
          </label>{" "}
          {problems.map(({ pointer, detail }) => pointer === `/${name}` && <strong key={detail}>{detail}</strong>)}
        </p>
      ))}
      <button type="submit">Save</button>
    </form>
  );
}

const root = document.getElementById("root");
if (root)
  createRoot(root).render(
    <StrictMode>
      <Levels address={root.dataset.address ?? ""} />
    </StrictMode>,
  );
