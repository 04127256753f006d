import type { CodeAnswer } from "@loyal-quill/server/api";
import { strToU8, zipSync } from "fflate";
import { useState } from "react";
import { Link } from "react-router";
import { styled } from "styled-components";
import { useCode } from "../../api/queries.js";
import { copyingRefused } from "../../parts/copy.js";
import { Small } from "../../parts/inputs.js";
import { Question } from "../../parts/question.js";
import { Failed, Strong, Waiting } from "../../parts/states.js";
import { Scroll } from "../../parts/table.js";

const Two = styled.div`
  display: grid;
  grid-template-columns: 15rem minmax(0, 1fr);
  gap: ${({ theme }) => theme.space(5)};
  margin-top: ${({ theme }) => theme.space(3)};
  @media (max-width: 999px) { grid-template-columns: minmax(0, 1fr); }
  section h3 { margin-top: 0; }
  section + section { margin-top: ${({ theme }) => theme.space(4)}; }
  ul { list-style: none; margin: 0; padding: 0; }
  > div:last-child {
    height: 24rem;
    overflow: auto;
    border: 1px solid ${({ theme }) => theme.rule};
    background: ${({ theme }) => theme.leaf};
  }
  pre { padding: ${({ theme }) => theme.space(2)}; font: 0.8125rem/1.4 ${({ theme }) => theme.wire}; }
`;

const File = styled.button`
  display: flex;
  justify-content: space-between;
  gap: ${({ theme }) => theme.space(2)};
  width: 100%;
  border: 0;
  background: none;
  color: inherit;
  padding: 2px 0;
  text-align: start;
  cursor: pointer;
  &[aria-current] { font-weight: 700; text-decoration: underline; text-underline-offset: 0.2em; }
  span { color: ${({ theme }) => theme.soft}; font-weight: 400; }
`;

const Left = styled.ul`
  columns: 2;
  color: ${({ theme }) => theme.soft};
  @media (max-width: 999px) { columns: 1; }
`;

const Ways = styled.p`
  display: flex;
  gap: ${({ theme }) => theme.space(4)};
  align-items: baseline;
  margin-top: ${({ theme }) => theme.space(2)};
`;

const linesOf = (text: string): number => text.split("\n").length - 1;

/** Offers a file that was made here. */
function save(name: string, bytes: Uint8Array<ArrayBuffer>): void {
  const address = URL.createObjectURL(new Blob([bytes], { type: "application/zip" }));
  const link = document.createElement("a");
  link.href = address;
  link.download = name;
  link.click();
  URL.revokeObjectURL(address);
}

/** The files of one directory, each with its lines. */
function Files({
  title,
  files,
  chosen,
  choose,
}: {
  title: string;
  files: CodeAnswer["files"];
  chosen: string | undefined;
  choose: (path: string) => void;
}) {
  return (
    <section>
      <h3>{title}</h3>
      <ul>
        {files.map(({ path, text }) => (
          <li key={path}>
            <File type="button" aria-current={path === chosen ? "true" : undefined} onClick={() => choose(path)}>
              {path.slice(path.indexOf("/") + 1)} <span>{linesOf(text)} lines</span>
            </File>
          </li>
        ))}
      </ul>
    </section>
  );
}

function Code({ name, answer }: { name: string; answer: CodeAnswer }) {
  const { files, packages, types, left } = answer;
  const [chosen, setChosen] = useState(files[0]?.path);
  const [said, say] = useState<string>();
  const own = files.filter(({ path }) => path.startsWith(`${name}/`));
  const text = files.find(({ path }) => path === chosen)?.text ?? "";
  const choose = (path: string): void => {
    setChosen(path);
    say(undefined);
  };
  return (
    <>
      <p>
        This page as TypeScript for Express and <code>pg</code>, with its tests. It writes to the same table and change
        log as the served page, and imports nothing of Loyal Quill. <Link to="/help/exporting">How it is used</Link>
      </p>
      <Ways>
        <Strong
          onClick={() =>
            save(`${name}-code.zip`, zipSync(Object.fromEntries(files.map((file) => [file.path, strToU8(file.text)]))))
          }
        >
          Download .zip
        </Strong>
        <Small
          type="button"
          onClick={() =>
            navigator.clipboard.writeText(text).then(
              () => say("Copied."),
              () => say(copyingRefused),
            )
          }
          aria-label={`Copy ${chosen}`}
        >
          Copy file
        </Small>
        <span role="status">{said}</span>
      </Ways>
      <Two>
        <div>
          <Files title={`${name}/`} files={own} chosen={chosen} choose={choose} />
          <Files title="shared/" files={files.filter((file) => !own.includes(file))} chosen={chosen} choose={choose} />
        </div>
        <Scroll aria-label={chosen ?? "Code"}>
          <pre>{text}</pre>
        </Scroll>
      </Two>
      <h3>Install</h3>
      <p>
        <code>npm install {packages.join(" ")}</code>
        <br />
        <code>npm install --save-dev {types.join(" ")} tsx typescript</code>
      </p>
      <h3>Differences from the served page</h3>
      <Left>
        {left.map((each) => (
          <li key={each}>{each}</li>
        ))}
      </Left>
    </>
  );
}

/** The page as plain code, to be read and taken away. */
export function ExportCode({ name, text, onClose }: { name: string; text: string; onClose: () => void }) {
  const answer = useCode(name, text);
  return (
    <Question title="Export code" isWide onClose={onClose}>
      {answer.isPending && <Waiting height="24rem" what="Writing the code" />}
      {answer.error && <Failed error={answer.error} again={() => void answer.refetch()} />}
      {answer.data?.because && <p>This page can’t be exported: {answer.data.because}.</p>}
      {answer.data && answer.data.because === null && <Code name={name} answer={answer.data} />}
      <footer>
        <Small type="button" onClick={onClose}>
          Close
        </Small>
      </footer>
    </Question>
  );
}
