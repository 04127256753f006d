import { Suspense, useEffect, useState } from "react";
import { Link, Navigate, NavLink, Route, Routes, useLocation, useMatch } from "react-router";
import { styled } from "styled-components";
import { place, placeOf } from "./api/client.js";
import { useFeed } from "./api/feed.js";
import { useOutdated, useSession, useSignedOut } from "./api/queries.js";
import { documentOf } from "./help/documents.js";
import { usePaletteKeys, useShortcutsKey } from "./palette/use-palette-keys.js";
import { Choice } from "./parts/choice.js";
import { focusAfter } from "./parts/focus.js";
import { Small } from "./parts/inputs.js";
import { Mark } from "./parts/mark.js";
import { part } from "./parts/part.js";
import { Failed, SignedOut, Waiting } from "./parts/states.js";
import { Title } from "./parts/title.js";
import { useNarrow } from "./parts/use-narrow.js";

const PagesRoute = part(() => import("./pages/pages-route.js"));
const SheetRoute = part(() => import("./sheet/sheet-route.js"));
const PeopleRoute = part(() => import("./people/people-route.js"));
const HelpRoute = part(() => import("./help/help-route.js"));
const Shortcuts = part(() => import("./help/shortcuts.js"), { close: ({ onClose }) => onClose() });
const Palette = part(() => import("./palette/palette.js"), { close: ({ setOpen }) => setOpen(false) });
const ImportForm = part(() => import("./pages/import-form.js"));
const DatabaseRoute = part(() => import("./database/database-route.js"));
const TableRoute = part(() => import("./database/table-route.js"));
const TrailRoute = part(() => import("./trail/trail-route.js"));
const RequestsRoute = part(() => import("./requests/requests-route.js"));
const RequestRoute = part(() => import("./requests/request-route.js"));
const RehearsalRoute = part(() => import("./rehearsal/rehearsal-route.js"));
const ReplayRoute = part(() => import("./rehearsal/replay-route.js"));
const ChangesRoute = part(() => import("./changes/changes-route.js"));
const RecordRoute = part(() => import("./changes/record-route.js"));
const VerificationRoute = part(() => import("./changes/verification-route.js"));

const Head = styled.header`
  display: flex;
  align-items: baseline;
  gap: ${({ theme }) => theme.space(6)};
  padding: ${({ theme }) => `${theme.space(2)} ${theme.space(6)}`};
  border-bottom: 1px solid ${({ theme }) => theme.edge};
  > strong { font-size: 1.125rem; white-space: nowrap; }
  && select { min-height: 24px; padding-block: 0; }
  > button { border: 0; background: none; padding: 0; color: ${({ theme }) => theme.verdigris}; text-decoration: underline; cursor: pointer; }
  @media (max-width: 1279px) { column-gap: ${({ theme }) => theme.space(4)}; }
  @media (max-width: 999px) { flex-wrap: wrap; row-gap: ${({ theme }) => theme.space(2)}; padding-inline: ${({ theme }) => theme.space(3)}; nav, > div { flex: 1 0 100%; flex-wrap: wrap; } }
`;

const Places = styled.nav`
  display: flex;
  gap: ${({ theme }) => theme.space(5)};
  align-items: baseline;
  flex: 1 0 auto;
  white-space: nowrap;
  @media (max-width: 1279px) { column-gap: ${({ theme }) => theme.space(3)}; }
  a { color: ${({ theme }) => theme.ink}; text-decoration: none; padding-bottom: 2px; }
  button { border: 0; background: none; padding: 0; color: ${({ theme }) => theme.soft}; cursor: pointer; }
  a:hover, button:hover { text-decoration: underline; }
  a[aria-current="page"] { border-bottom: 2px solid ${({ theme }) => theme.verdigris}; }
`;

/** On one line with the places, however long a name is: what does not fit of the longest is left off. */
const Person = styled.div`
  display: flex;
  gap: ${({ theme }) => theme.space(4)};
  align-items: baseline;
  color: ${({ theme }) => theme.soft};
  min-width: 0;
  white-space: nowrap;
  > * { flex: 0 0 auto; }
  > a, > span:not([role]) { flex: 0 1 auto; min-width: 1.75rem; overflow: hidden; text-overflow: ellipsis; }
  button { border: 0; background: none; padding: 0; color: ${({ theme }) => theme.verdigris}; text-decoration: underline; text-underline-offset: 0.15em; cursor: pointer; }
`;

const Main = styled.main`
  padding: ${({ theme }) => `${theme.space(4)} ${theme.space(6)} ${theme.space(8)}`};
  &:focus { outline: none; }
  @media (max-width: 999px) { padding-inline: ${({ theme }) => theme.space(3)}; }
`;

const Skip = styled.a`
  position: absolute;
  left: -999px;
  &:focus { left: 1rem; top: 0.25rem; background: ${({ theme }) => theme.leaf}; padding: 0.25rem 0.5rem; z-index: 5; }
`;

const Lines = styled.div`
  display: grid;
  margin-bottom: ${({ theme }) => theme.space(2)};
`;

interface BarProps {
  readonly session: ReturnType<typeof useSession>["data"];
  readonly openPalette: () => void;
}

/** The places of the workbench that somebody's roles open. */
function PlaceLinks({ session, openPalette }: BarProps) {
  const roles = session?.roles ?? [];
  const isBuilder = roles.includes("builder");
  return (
    <Places aria-label="Main">
      {isBuilder && (
        <>
          <NavLink to="/" end>
            Pages
          </NavLink>
          <NavLink to="/requests">Requests</NavLink>
          <NavLink to="/database">Database</NavLink>
        </>
      )}
      {(isBuilder || roles.includes("administrator")) && <NavLink to="/people">People</NavLink>}
      {roles.includes("auditor") && (
        <>
          <NavLink to="/changes">Changes</NavLink>
          <NavLink to="/trail">Trail</NavLink>
        </>
      )}
      {isBuilder && (
        <button type="button" onClick={openPalette} title="Ctrl+K">
          Go to…
        </button>
      )}
    </Places>
  );
}

/** Whether the workbench hears what happens, who is there, and the ways out. */
function PersonLinks({ session }: Pick<BarProps, "session">) {
  const live = useFeed();
  const { pathname } = useLocation();
  return (
    <Person>
      <span role="status">{live ? <Mark kind="good">live</Mark> : <Mark kind="wait">Disconnected</Mark>}</span>
      <Link to={`/help/${documentOf(pathname)}`}>Help</Link>
      {session?.accountsHere === false ? (
        <span>{session.name}</span>
      ) : (
        <a href="/my-account">{session?.name || "My account"}</a>
      )}
      <a href="/">{session?.application ?? "Served pages"}</a>
      {session?.accountsHere !== false && (
        <form method="post" action="/sign-out">
          <input type="hidden" name="token" value={session?.csrfToken ?? ""} />
          {/* Its token comes with the session. */}
          <button type="submit" disabled={!session}>
            Sign out
          </button>
        </form>
      )}
    </Person>
  );
}

/** What stands above every place: on a narrow window it is unfolded by a button. */
function Bar({ session, openPalette }: BarProps) {
  const isNarrow = useNarrow();
  const [isUnfolded, unfold] = useState(false);
  return (
    <Head>
      <strong>Loyal Quill</strong>
      {(session?.databases.length ?? 0) > 1 && (
        <Choice
          label="Database"
          value={place}
          options={(session?.databases ?? []).map((name) => ({ id: placeOf(name), text: name || "main" }))}
          onChange={(id) => location.assign(id)}
        />
      )}
      {isNarrow && (
        <button type="button" aria-expanded={isUnfolded} onClick={() => unfold(!isUnfolded)}>
          Menu
        </button>
      )}
      {(!isNarrow || isUnfolded) && (
        <>
          <PlaceLinks session={session} openPalette={openPalette} />
          <PersonLinks session={session} />
        </>
      )}
    </Head>
  );
}

/** What concerns every place: that the session has ended (the Sheet tells that itself, with its draft), and that the server has another version. */
function Told() {
  const isOut = useSignedOut();
  const isOutdated = useOutdated();
  const isSheet = useMatch("/pages/:name") !== null;
  if (!isOutdated && (!isOut || isSheet)) return null;
  return (
    <Lines>
      {isOut && !isSheet && <SignedOut left="What is on the screen stays, and nothing is saved." />}
      {isOutdated && (
        <span role="status">
          <Mark kind="wait">The server has another version of the workbench by now.</Mark>{" "}
          <Small type="button" onClick={() => location.reload()}>
            Reload the workbench
          </Small>
        </span>
      )}
    </Lines>
  );
}

/** Where the workbench begins, which is another place for each role: nothing is asked for that somebody may not have. */
function Index() {
  const { data: session, error, refetch } = useSession();
  useEffect(() => PagesRoute.preload(), []);
  if (!session)
    return error ? (
      <>
        <Title>Loyal Quill</Title>
        <Failed error={error} again={() => void refetch()} />
      </>
    ) : (
      <Waiting height="60vh" what="Opening" isPlace />
    );
  if (session.roles.includes("builder")) return <PagesRoute />;
  return <Navigate to={session.roles.includes("auditor") ? "/changes" : "/people"} replace />;
}

/** The views, by their addresses. */
function Views() {
  return (
    <Routes>
      <Route index element={<Index />} />
      <Route path="import-form" element={<ImportForm />} />
      <Route path="pages/:name" element={<SheetRoute />} />
      <Route path="pages/:name/rehearsal" element={<RehearsalRoute />} />
      <Route path="pages/:name/replay" element={<ReplayRoute />} />
      <Route path="requests" element={<RequestsRoute />} />
      <Route path="requests/:id" element={<RequestRoute />} />
      <Route path="people" element={<PeopleRoute />} />
      <Route path="database" element={<DatabaseRoute />} />
      <Route path="database/:table" element={<TableRoute />} />
      <Route path="changes" element={<ChangesRoute />} />
      <Route path="changes/record" element={<RecordRoute />} />
      <Route path="changes/verification" element={<VerificationRoute />} />
      <Route path="trail" element={<TrailRoute />} />
      <Route path="help" element={<HelpRoute />} />
      <Route path="help/:name" element={<HelpRoute />} />
      <Route
        path="*"
        element={
          <>
            <Title>Page not found</Title>
            <p>Use the links above to find your way.</p>
          </>
        }
      />
    </Routes>
  );
}

/** The workbench: its places, and whether it hears what happens. */
export function App() {
  const { data: session } = useSession();
  const isBuilder = session?.roles.includes("builder") === true;
  const [palette, setPalette] = usePaletteKeys();
  const [shortcuts, setShortcuts] = useShortcutsKey();
  const { pathname } = useLocation();
  // Who has gone somewhere by a link or a command that is gone now is not left nowhere (WCAG 2.2, 2.4.3).
  // biome-ignore lint/correctness/useExhaustiveDependencies: another place is the occasion
  useEffect(() => focusAfter(), [pathname]);
  return (
    <>
      <Skip href="#main">Skip to the content</Skip>
      <Bar session={session} openPalette={() => setPalette(true)} />
      {palette && isBuilder && (
        <Suspense>
          <Palette isOpen={palette} setOpen={setPalette} />
        </Suspense>
      )}
      {shortcuts && (
        <Suspense>
          <Shortcuts onClose={() => setShortcuts(false)} />
        </Suspense>
      )}
      <Main id="main" tabIndex={-1}>
        <Told />
        <Suspense fallback={<Waiting height="60vh" what="Opening" isPlace />}>
          <Views />
        </Suspense>
      </Main>
    </>
  );
}
