import { type DescribedSettings, subjectsOf } from "@loyal-quill/authoring";
import type { Finding } from "@loyal-quill/core";
import type { SheetAnswer } from "@loyal-quill/server/api";
import { useMemo } from "react";
import { usePageFile } from "../../api/queries.js";
import type { Found } from "./settings.js";

const none: DescribedSettings["page"] = [];

/** What was found in a page file, each with what it is about: a field of the page, a step, or the text. */
export function useFound(text: string, findings: readonly Finding[], sheet: SheetAnswer): readonly Found[] {
  const settings = usePageFile().data?.settings.page ?? none;
  const { fields } = sheet;
  return useMemo(() => {
    const onPage = new Set(fields.flatMap(({ name, onPage }) => (onPage ? [name] : [])));
    const subjects = subjectsOf(text, findings, settings);
    return findings.map((finding, index) => {
      const about = subjects[index] ?? null;
      return { finding, about: about && "field" in about && !onPage.has(about.field) ? null : about };
    });
  }, [text, findings, settings, fields]);
}
