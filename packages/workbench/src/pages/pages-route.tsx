import { Link } from "react-router";
import { styled } from "styled-components";
import { usePages, useRequests } from "../api/queries.js";
import { Empty, Failed, Waiting } from "../parts/states.js";
import { Title, useDocumentTitle } from "../parts/title.js";
import { Lately } from "./lately.js";
import { PagesTable } from "./pages-table.js";
import { TakeIn } from "./take-in.js";

const Second = styled.h2`
  font-size: 1.125rem;
  margin: ${({ theme }) => `${theme.space(8)} 0 ${theme.space(2)}`};
`;

/** Pages: what is served where, is it sound, what happened to it lately. */
export default function PagesRoute() {
  const pages = usePages();
  const requests = useRequests();
  useDocumentTitle("Pages");
  return (
    <>
      <Title>Pages</Title>
      <TakeIn />
      {pages.isPending && <Waiting height="10rem" what="Loading pages" />}
      {pages.error && <Failed error={pages.error} again={() => void pages.refetch()} />}
      {pages.data &&
        (pages.data.length > 0 ? (
          <PagesTable pages={pages.data} />
        ) : (
          <Empty title="No pages yet">
            <Link to="/database">Choose a table</Link>: one step later there is a draft that runs on its records. Or put
            a file NAME.page.yaml into the directory of page files; it appears here as soon as it is saved.
          </Empty>
        ))}
      {!pages.isPending && <Second>Latest requests</Second>}
      {!pages.isPending && requests.isPending && <Waiting height="10rem" what="Loading requests" />}
      {requests.error && <Failed error={requests.error} again={() => void requests.refetch()} />}
      {!pages.isPending &&
        requests.data &&
        (requests.data.length > 0 ? (
          <Lately requests={requests.data.slice(0, 20)} />
        ) : (
          <Empty title="No requests yet">Open a page in another tab: each list, form and save appears here live.</Empty>
        ))}
    </>
  );
}
