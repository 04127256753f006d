import { useEffect } from "react";
import { Link } from "react-router";
import { styled } from "styled-components";
import { usePages, useRequests } from "../api/queries.js";
import { Empty, Failed, Waiting } from "../parts/states.js";
import { Title } from "../parts/title.js";
import { texts } from "../texts.js";
import { Lately } from "./lately.js";
import { PagesTable } from "./pages-table.js";
import { TakeIn } from "./take-in.js";

const says = texts.pagesRoute;

const Second = styled.h2`
  font-size: 1.125rem;
  margin: ${({ theme }) => `${theme.space(8)} 0 ${theme.space(2)}`};
`;

/** Pages: what is served where, is it sound, what happened to it lately. */
export default function PagesRoute() {
  const pages = usePages();
  const requests = useRequests();
  useEffect(() => {
    document.title = texts.documentTitle(says.pages);
  }, []);
  return (
    <>
      <Title>{says.pages}</Title>
      <TakeIn />
      {pages.isPending && <Waiting height="10rem" what={says.loadingPages} />}
      {pages.error && <Failed error={pages.error} again={() => void pages.refetch()} />}
      {pages.data &&
        (pages.data.length > 0 ? (
          <PagesTable pages={pages.data} />
        ) : (
          <Empty title={says.noPagesYet}>
            <Link to="/database">{says.chooseATable}</Link>
            {says.oneStepLaterThereIsA}
          </Empty>
        ))}
      {!pages.isPending && <Second>{says.latestRequests}</Second>}
      {!pages.isPending && requests.isPending && <Waiting height="10rem" what={says.loadingRequests} />}
      {requests.error && <Failed error={requests.error} again={() => void requests.refetch()} />}
      {!pages.isPending &&
        requests.data &&
        (requests.data.length > 0 ? (
          <Lately requests={requests.data.slice(0, 20)} />
        ) : (
          <Empty title={says.noRequestsYet}>{says.openAPageInAnotherTab}</Empty>
        ))}
    </>
  );
}
