/** What no page in this stack can beat: a session, one statement, an answer. It reads no form, asks for no rights and makes no page. */
import { connect } from "@loyal-quill/runtime";
import express from "express";

export interface SentStatement {
  readonly text: string;
  readonly values: readonly (string | null)[];
}

/** What the page that is to be matched sends and answers. */
export interface Model {
  readonly code: string;
  readonly open: SentStatement;
  readonly save: SentStatement;
  readonly html: string;
}

export function bare(
  url: string,
  connections: number,
  session: express.RequestHandler[],
  model: Model,
): express.Express {
  const pool = connect(url, connections);
  // The row's version is compared with itself: a form that would have brought it is not read.
  const save = model.save.text.replace(/t\.xmin::text = (\$\d+::text)/, "t.xmin::text = coalesce(t.xmin::text, $1)");
  const values = (of: readonly (string | null)[], code: string): (string | null)[] =>
    of.map((value) => (value === model.code ? code : value?.startsWith("round ") ? `round ${Math.random()}` : value));
  const app = express();
  app.disable("x-powered-by");
  app.use(session);
  app.get("/stations/:code/edit", async (request, response) => {
    await pool.query({ name: "open", text: model.open.text, values: values(model.open.values, request.params.code) });
    response.writeHead(200, { "content-type": "text/html", "content-length": Buffer.byteLength(model.html) });
    response.end(model.html);
  });
  app.post("/stations/:code/edit", async (request, response) => {
    request.resume();
    const { rows } = await pool.query({
      name: "save",
      text: save,
      values: values(model.save.values, request.params.code),
    });
    response.writeHead(rows[0]?.entry ? 303 : 500, { location: "/stations", "content-length": 0 });
    response.end();
  });
  return app;
}
