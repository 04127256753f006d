import { useEffect } from "react";
import { styled } from "styled-components";
import { usePages, useRequests } from "../api/queries.js";
import { Empty, Failed, Waiting } from "../parts/states.js";
import { Title } from "../parts/title.js";
import { Lately } from "./lately.js";
import { PagesTable } from "./pages-table.js";

const Second = styled.h2`
  font-size: 1.125rem;
  margin: ${({ theme }) => `${theme.space(8)} 0 ${theme.space(2)}`};
`;

/** Pages: what is served where, is it sound, what happened to it lately. */
export default function PagesRoute() {
  const pages = usePages();
  const requests = useRequests();
  useEffect(() => {
    document.title = "Pages · Loyal Quill";
  }, []);
  return (
    <>
      <Title>Pages</Title>
      {pages.isPending && <Waiting height="10rem" what="Reading the page files" />}
      {pages.error && <Failed error={pages.error} again={() => void pages.refetch()} />}
      {pages.data &&
        (pages.data.length > 0 ? (
          <PagesTable pages={pages.data} />
        ) : (
          <Empty title="No page yet">
            A page is a file NAME.page.yaml in the directory of page files. As soon as one lies there, it stands here.
          </Empty>
        ))}
      <Second>Lately</Second>
      {requests.isPending && <Waiting height="10rem" what="Asking for the latest requests" />}
      {requests.error && <Failed error={requests.error} again={() => void requests.refetch()} />}
      {requests.data &&
        (requests.data.length > 0 ? (
          <Lately requests={requests.data.slice(0, 20)} />
        ) : (
          <Empty title="No request yet">
            Open one of the pages in another tab: every list, open and save appears here by itself.
          </Empty>
        ))}
    </>
  );
}
