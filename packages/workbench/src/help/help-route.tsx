/// <reference types="vite/client" />
import { useQuery } from "@tanstack/react-query";
import { marked } from "marked";
import { useEffect, useRef } from "react";
import { Link, NavLink, useLocation, useNavigate, useParams } from "react-router";
import { styled } from "styled-components";
import { placeOf } from "../api/client.js";
import { Waiting } from "../parts/states.js";
import { Title, useDocumentTitle } from "../parts/title.js";
import { documents } from "./documents.js";

/** The documentation as it was when the workbench was built: it needs no network. */
const texts = import.meta.glob<string>("../../../../docs/*.md", { query: "?raw", import: "default" });

const Two = styled.div`
  display: grid;
  grid-template-columns: 14rem minmax(0, 1fr);
  gap: ${({ theme }) => theme.space(8)};
  @media (max-width: 999px) { grid-template-columns: minmax(0, 1fr); }
  nav a { display: block; padding: ${({ theme }) => `${theme.space(1)} 0`}; }
  nav a[aria-current="page"] { font-weight: 700; }
`;

const Text = styled.article`
  max-width: 52rem;
  overflow-wrap: anywhere;
  h1, h2, h3 { margin: ${({ theme }) => `${theme.space(5)} 0 ${theme.space(1)}`}; }
  h1 { margin-top: 0; font-size: 1.5rem; }
  h2 { font-size: 1.25rem; }
  h3 { font-size: 1rem; }
  p, ul, ol, pre, table { margin-bottom: ${({ theme }) => theme.space(3)}; }
  ul, ol { margin-left: ${({ theme }) => theme.space(5)}; list-style: disc; }
  ol { list-style: decimal; }
  pre { overflow-x: auto; padding: ${({ theme }) => theme.space(2)}; border: 1px solid ${({ theme }) => theme.rule}; }
  table { border-collapse: collapse; display: block; overflow-x: auto; }
  th, td { text-align: start; vertical-align: top; padding: ${({ theme }) => `${theme.space(1)} ${theme.space(4)} ${theme.space(1)} 0`}; border-bottom: 1px solid ${({ theme }) => theme.rule}; }
  th, td code { overflow-wrap: normal; }
  td:first-child code { white-space: nowrap; }
  img { display: none; }
`;

const slug = (text: string): string =>
  text
    .toLowerCase()
    .replaceAll(/[^\p{L}\p{N} -]/gu, "")
    .replaceAll(" ", "-");

/** A document as HTML: headings that can be linked to, and links to other documents that stay here. What leads elsewhere in the repository is no link. */
function htmlOf(text: string): string {
  const rendered = marked.parse(text, { async: false });
  const page = new DOMParser().parseFromString(rendered, "text/html");
  for (const heading of page.querySelectorAll("h1, h2, h3")) heading.id = slug(heading.textContent ?? "");
  for (const link of page.querySelectorAll("a")) {
    const [, name, at = ""] = /^([\w-]+)\.md(#.*)?$/.exec(link.getAttribute("href") ?? "") ?? [];
    if (name !== undefined && Object.hasOwn(documents, name)) link.setAttribute("href", `/help/${name}${at}`);
    else if (!link.getAttribute("href")?.startsWith("#")) link.replaceWith(...link.childNodes);
  }
  for (const scroller of page.querySelectorAll("pre, table")) scroller.setAttribute("tabindex", "0");
  return page.body.innerHTML;
}

/** The documentation of the product, beside its list. */
export default function HelpRoute() {
  const { name = "page-file" } = useParams();
  const { hash } = useLocation();
  const navigate = useNavigate();
  const article = useRef<HTMLElement>(null);
  const load = texts[`../../../../docs/${name}.md`];
  const { data } = useQuery({
    queryKey: ["help", name],
    enabled: load !== undefined && Object.hasOwn(documents, name),
    queryFn: async () => htmlOf((await load?.()) ?? ""),
    staleTime: Number.POSITIVE_INFINITY,
  });
  useDocumentTitle(documents[name] ?? "Help");
  useEffect(() => {
    if (data === undefined || hash === "") return;
    article.current?.querySelector(`#${CSS.escape(decodeURIComponent(hash.slice(1)))}`)?.scrollIntoView();
  }, [data, hash]);
  return (
    <Two>
      <nav aria-label="Help">
        <Title as="p">Help</Title>
        {Object.entries(documents).map(([id, title]) => (
          <NavLink key={id} to={`/help/${id}`}>
            {title}
          </NavLink>
        ))}
      </nav>
      {!Object.hasOwn(documents, name) ? (
        <div>
          <Title>No such document</Title>
          <Link to="/help/page-file">Page files</Link>
        </div>
      ) : data === undefined ? (
        <Waiting height="40vh" what="Loading the document" isPlace />
      ) : (
        <Text
          ref={article}
          onClick={(event) => {
            const href = (event.target as Element).closest("a")?.getAttribute("href");
            const own = href?.startsWith(`${placeOf("")}/help/`) ? href.slice(placeOf("").length) : undefined;
            if (own === undefined || event.ctrlKey || event.metaKey) return;
            event.preventDefault();
            void navigate(own);
          }}
          // biome-ignore lint/security/noDangerouslySetInnerHtml: it is our own documentation, built in
          dangerouslySetInnerHTML={{ __html: data.replaceAll('href="/help/', `href="${placeOf("")}/help/`) }}
        />
      )}
    </Two>
  );
}
