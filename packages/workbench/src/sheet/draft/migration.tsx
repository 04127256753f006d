import { migrationFiles } from "@loyal-quill/authoring";
import type { SchemaChange } from "@loyal-quill/core";
import { useState } from "react";
import { styled } from "styled-components";
import { CheckBox } from "../../parts/inputs.js";

const Box = styled.details`
  padding: ${({ theme }) => `${theme.space(2)} 0`};
  summary { cursor: pointer; color: ${({ theme }) => theme.verdigris}; width: fit-content; }
  ul, p { padding-top: ${({ theme }) => theme.space(1)}; }
  p { display: flex; flex-wrap: wrap; gap: ${({ theme }) => theme.space(4)}; }
`;

const addressOf = (text: string): string => `data:application/sql;charset=utf-8,${encodeURIComponent(text)}`;

interface MigrationProps {
  /** What the files are named after. */
  readonly title: string;
  readonly changes: readonly SchemaChange[];
}

/** Proposed changes of the schema as a migration: those that are ticked, in two files, up and down. */
export function Migration({ title, changes }: MigrationProps) {
  const [left, setLeft] = useState<readonly string[]>([]);
  const [at] = useState(() => new Date());
  if (changes.length === 0) return null;
  const chosen = changes.filter(({ name }) => !left.includes(name));
  const { up, down } = migrationFiles(chosen, title, at);
  return (
    <Box>
      <summary>Migration file</summary>
      <ul aria-label="Changes in the migration">
        {changes.map(({ name }) => (
          <li key={name}>
            <CheckBox
              label={name}
              checked={!left.includes(name)}
              onChange={(on) => setLeft(on ? left.filter((each) => each !== name) : [...left, name])}
            />
          </li>
        ))}
      </ul>
      {chosen.length > 0 && (
        <p>
          {[up, down].map((file) => (
            <a key={file.name} href={addressOf(file.text)} download={file.name}>
              Download {file.name}
            </a>
          ))}
        </p>
      )}
    </Box>
  );
}
