import type { VersionAnswer } from "@loyal-quill/server/api";
import { styled } from "styled-components";
import { useVersions } from "../../api/queries.js";
import { Compared } from "../../parts/compared.js";
import { Small } from "../../parts/inputs.js";
import { Moment } from "../../parts/moment.js";
import { Empty, Failed, Waiting } from "../../parts/states.js";
import type { EditedDraft } from "./use-draft.js";

const List = styled.ol`
  padding: ${({ theme }) => `${theme.space(2)} 0 0 ${theme.space(4)}`};
  > li { padding: ${({ theme }) => `${theme.space(2)} 0`}; border-bottom: 1px solid ${({ theme }) => theme.rule}; }
  summary { cursor: pointer; padding: 2px 0; }
  ul { color: ${({ theme }) => theme.soft}; overflow-wrap: anywhere; }
`;

function Version({
  version,
  before,
  isLast,
  isNow,
  draft,
}: {
  version: VersionAnswer;
  /** The text of the version before. */
  before: string | null;
  isLast: boolean;
  isNow: boolean;
  draft: EditedDraft;
}) {
  const { text } = version;
  return (
    <li>
      <p>
        <Moment at={version.at} /> {version.by ? `Published by ${version.by}` : "File changed outside the workbench"}
        {isLast && <>, current</>}
      </p>
      <ul>
        {version.differs.length === 0 ? (
          <li>first known version</li>
        ) : (
          version.differs.map((line) => <li key={line}>{line}</li>)
        )}
      </ul>
      {text !== null && (
        <>
          {!isNow && (
            <Small type="button" onClick={() => draft.write(text, "restore a version")}>
              Restore as draft
            </Small>
          )}
          <details>
            <summary>as text</summary>
            <Compared before={before ?? ""} after={text} />
          </details>
        </>
      )}
    </li>
  );
}

/** Everything that the page was, newest first: who, when, what differed. */
export default function Versions({ name, text, draft }: { name: string; text: string; draft: EditedDraft }) {
  const versions = useVersions(name);
  if (versions.isPending) return <Waiting height="20rem" what="Loading versions" />;
  if (versions.error) return <Failed error={versions.error} again={() => void versions.refetch()} />;
  if (versions.data.length === 0)
    return <Empty title="No versions yet">The first one is saved when you publish this page.</Empty>;
  return (
    <List aria-label="Versions">
      {versions.data.map((version, index) => (
        <Version
          key={version.number}
          version={version}
          before={versions.data[index + 1]?.text ?? null}
          isLast={index === 0}
          isNow={version.text === text}
          draft={draft}
        />
      ))}
    </List>
  );
}
