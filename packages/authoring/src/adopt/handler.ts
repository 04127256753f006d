import type { Table } from "@loyal-quill/core/table/model";
import { isFunction, isText, type Node, parentsIn, pathOf, placeOf, readCode, textOf, within } from "./code.js";
import { type FormFinding, formFinding } from "./findings.js";
import type { HtmlForm, Place } from "./html-form.js";
import type { Matched } from "./match.js";

/** A statement that changes something, as a handler sends it. */
interface Write {
  readonly node: Node;
  /** Its text, with `?` for what is put into it. */
  readonly sql: string;
  readonly inserted: readonly Node[];
  /** The call that sends it; null where it was not found. */
  readonly call: Node | null;
}

/** A function that answers a request and changes something. */
interface Handler {
  readonly method: string;
  readonly body: Node;
  readonly writes: readonly Write[];
}

/** What was read of a handler, and what not. */
export interface HandlerRead {
  readonly findings: readonly FormFinding[];
  /** Why nothing, or not all of it, was understood. */
  readonly notRead: readonly (Place & { readonly because: string })[];
}

const changing = /^\s*(update|insert\s+into|delete\s+from)\b/i;
const methods = new Set(["get", "post", "put", "patch", "delete", "all", "use"]);

/** Where a form's values come from in a handler: `req.body`, `request.body`, `ctx.request.body`. */
const isBody = (path: readonly string[] | null): boolean => path?.at(-1) === "body" && path.length >= 2;
const isRequest = (path: readonly string[] | null): boolean =>
  path?.some((part, index) => index > 0 && /^(body|params|query|headers|cookies)$/.test(part)) === true;

/** What a text stands in on its way to the call that sends it: a tag, an object (`{ text: … }`), a constant with a name. */
const onTheWay = /^(TaggedTemplateExpression|ObjectProperty|ObjectExpression|VariableDeclarator|BinaryExpression)$/;

/** The texts that are statements which change something, with the calls that send them. */
function writesIn(program: Node, parents: ReadonlyMap<Node, Node>): readonly Write[] {
  const calls = within(program).filter(({ type }) => type === "CallExpression");
  return within(program).flatMap((node): Write[] => {
    const parent = parents.get(node);
    // A part of a longer text is looked at with that.
    if (!isText(node) || (parent && isText(parent))) return [];
    const text = textOf(node);
    if (!text || !changing.test(text.text)) return [];
    const isTagged = parent?.type === "TaggedTemplateExpression";
    let at = parent;
    while (at && onTheWay.test(at.type)) {
      if (at.type === "TaggedTemplateExpression" && parents.get(at)?.type !== "CallExpression") break;
      if (at.type === "VariableDeclarator") {
        const name = pathOf(at.id)?.[0];
        at = calls.find((each) => (each.arguments as Node[]).some((one) => pathOf(one)?.[0] === name));
        break;
      }
      at = parents.get(at);
    }
    const call = at && /^(CallExpression|TaggedTemplateExpression)$/.test(at.type) ? at : null;
    return [{ node, sql: text.text, inserted: isTagged ? [] : text.inserted, call }];
  });
}

/** The method at whose route a function is registered; null where it is at none. */
function methodOf(node: Node, parents: ReadonlyMap<Node, Node>): string | null {
  const call = parents.get(node);
  const name = call?.type === "CallExpression" && call.callee !== node ? pathOf(call.callee)?.at(-1) : undefined;
  return name !== undefined && methods.has(name) ? name : null;
}

/** Whether a function takes a request. */
const takesRequest = (node: Node): boolean =>
  (node.params as Node[]).some((each) => /^(req|request|ctx|context|event)$/i.test(pathOf(each)?.[0] ?? ""));

/** Statements of a handler that are looked at. */
const mostWrites = 50;

/** The functions that answer requests by changing something; those that are registered at no route are taken for POST. */
function handlersIn(program: Node, parents: ReadonlyMap<Node, Node>): readonly Handler[] {
  const found = new Map<Node, Write[]>();
  for (const write of writesIn(program, parents).slice(0, mostWrites)) {
    const around: Node[] = [];
    for (let at = parents.get(write.call ?? write.node); at; at = parents.get(at)) if (isFunction(at)) around.push(at);
    const handler = around.find((each) => methodOf(each, parents) !== null) ?? around.find(takesRequest) ?? around[0];
    if (handler) found.set(handler, [...(found.get(handler) ?? []), write]);
  }
  return [...found].map(([node, writes]) => ({
    method: methodOf(node, parents) ?? "post",
    body: node.body as Node,
    writes,
  }));
}

/** The names that a handler reads of the body, and where it takes the body as a whole. */
function readsOf(
  handler: Node,
  parents: ReadonlyMap<Node, Node>,
): { readonly names: ReadonlyMap<string, Node>; readonly whole: readonly Node[] } {
  const names = new Map<string, Node>();
  const whole: Node[] = [];
  const aliases = new Set<string>();
  for (const node of within(handler)) {
    if (node.type !== "VariableDeclarator" || !isBody(pathOf(node.init))) continue;
    const id = node.id as Node;
    if (id.type === "Identifier") aliases.add(id.name as string);
    if (id.type !== "ObjectPattern") continue;
    for (const property of id.properties as Node[])
      if (property.type === "RestElement") whole.push(property);
      else names.set(String((property.key as Node).name ?? (property.key as Node).value), property);
  }
  for (const node of within(handler)) {
    const path = pathOf(node);
    if (!path) continue;
    const bodyAt = path.indexOf("body");
    if (bodyAt > 0 && path.length === bodyAt + 2) names.set(path[bodyAt + 1] ?? "", node);
    if (path.length === 2 && aliases.has(path[0] ?? "") && node.type !== "Identifier") names.set(path[1] ?? "", node);
    const isWhole = isBody(path) || (path.length === 1 && aliases.has(path[0] ?? ""));
    const parent = parents.get(node);
    const isMember = parent?.type === "MemberExpression" || parent?.type === "OptionalMemberExpression";
    // `body[column]` takes whatever comes as well.
    const isDynamic = isMember && parent.computed === true && parent.object === node && pathOf(parent) === null;
    const isTaken = parent?.type === "CallExpression" || parent?.type === "SpreadElement" || isDynamic;
    const isChecked =
      parent?.type === "CallExpression" && /parse|validate|check|assert/i.test(pathOf(parent.callee)?.at(-1) ?? "");
    if (isWhole && isTaken && !isChecked) whole.push(node);
  }
  return { names, whole };
}

/** Names by way of so many others at most are followed. */
const mostSteps = 10;

/** Names that hold what a request has brought, directly or by way of others. */
function tainted(handler: Node): ReadonlySet<string> {
  const found = new Set<string>();
  const declared = within(handler).flatMap((node) => {
    if (node.type !== "VariableDeclarator" || !node.init) return [];
    const paths = within(node.init as Node).flatMap((each) => [pathOf(each) ?? []]);
    const names = within(node.id as Node).flatMap((each) => (each.type === "Identifier" ? [each.name as string] : []));
    return [{ names, from: new Set(paths.map(([first]) => first ?? "")), isRequest: paths.some(isRequest) }];
  });
  for (let step = 0; step < mostSteps; step++) {
    const before = found.size;
    for (const { names, from, isRequest: isDirect } of declared)
      if (isDirect || [...from].some((name) => found.has(name))) for (const name of names) found.add(name);
    if (found.size === before) break;
  }
  return found;
}

/** So much of a condition is read, in characters. */
const mostCondition = 2000;

/** Whether the record is looked for by one of the table's keys; and by what it is. */
function whereOf(sql: string): readonly string[] | null {
  const [, condition] = /\bwhere\b([\s\S]*)$/i.exec(sql) ?? [];
  if (condition === undefined) return null;
  return [...condition.slice(0, mostCondition).matchAll(/(?:\w+\.)?"?(\w+)"?\s*=/g)].map(([, name = ""]) => name);
}

function ofWrite(
  { node, sql, inserted, call }: Write,
  handler: Handler,
  table: Table,
  parents: ReadonlyMap<Node, Node>,
): FormFinding[] {
  const found: FormFinding[] = [];
  const say = (code: Parameters<typeof formFinding>[0], message: string, at: Node = node): void => {
    found.push(formFinding(code, message, placeOf(at), { in: "handler" }));
  };
  const brought = tainted(handler.body);
  const fromRequest = inserted.find((each) =>
    within(each).some((one) => {
      const path = pathOf(one);
      return path !== null && (isRequest(path) || brought.has(path[0] ?? ""));
    }),
  );
  if (fromRequest)
    say(
      "sql-from-text",
      "What a request brings is put into the statement's text: whoever sends it writes SQL.",
      fromRequest,
    );
  const isUpdate = /^\s*(update|delete)/i.test(sql);
  const where = whereOf(sql);
  if (isUpdate && where === null) say("no-where", "The statement has no WHERE: it changes every record of the table.");
  const isByKey = table.keys.some(({ columns }) => columns.every((name) => where?.includes(name)));
  if (isUpdate && where && where.length > 0 && !isByKey)
    say(
      "where-by-no-key",
      `The statement finds the record by ${where.join(", ")}, which is no key: it may change several.`,
    );
  if (!call) return found;
  // What becomes of the answer: waited for, looked at, or neither.
  let outer: Node = call;
  while (/^(AwaitExpression|MemberExpression|CallExpression|TSAsExpression)$/.test(parents.get(outer)?.type ?? "")) {
    const parent = parents.get(outer) as Node;
    if (parent.type === "CallExpression" && parent.callee !== outer) break;
    outer = parent;
  }
  const statement = parents.get(outer);
  const isWaited = within(outer).some((each) => each.type === "AwaitExpression" && within(each).includes(call));
  const isThen = within(outer).some(
    (each) => each.type === "MemberExpression" && (each.property as Node).name === "then",
  );
  const hasCallback = (call.arguments as Node[] | undefined)?.some(isFunction) === true;
  const isReturned = statement?.type === "ReturnStatement" || statement?.type === "ArrowFunctionExpression";
  const answers = within(handler.body).filter((each) => {
    const name = each.type === "CallExpression" ? pathOf(each.callee)?.at(-1) : undefined;
    return name !== undefined && /^(redirect|render|send|json|end)$/.test(name);
  });
  const isAfter = (each: Node): boolean => each.loc.start.line > call.loc.start.line && !within(outer).includes(each);
  if (!isWaited && !isThen && !isReturned && statement?.type !== "VariableDeclarator" && answers.some(isAfter))
    say("answer-before-write", "It is answered before the statement has ended: nobody learns whether it failed.", call);
  else if (isUpdate && !/\breturning\b/i.test(sql)) {
    const looks = within(handler.body).some((each) =>
      /^(rowCount|affectedRows|changes|rowsAffected|numUpdatedRows|count)$/.test(
        String(each.type === "Identifier" ? each.name : ""),
      ),
    );
    if (!looks && (statement?.type === "ExpressionStatement" || hasCallback || isThen))
      say(
        "rows-not-looked-at",
        "Nobody looks at how many records were changed: one that is gone is told as saved.",
        call,
      );
  }
  return found;
}

/** Where a statement is sent. */
const lineOf = (write: Write | undefined): number | undefined => (write?.call ?? write?.node)?.loc.start.line;

/** Whether something is judged before the first write: a branch, a throw, or a call that checks. */
function isJudging({ body, writes }: Handler): boolean {
  const first = lineOf(writes[0]) ?? Number.POSITIVE_INFINITY;
  return within(body).some((each) => {
    if (each.loc.start.line > first) return false;
    if (each.type === "IfStatement" || each.type === "ThrowStatement" || each.type === "SwitchStatement") return true;
    return (
      each.type === "CallExpression" && /parse|validate|check|assert|valid/i.test(pathOf(each.callee)?.at(-1) ?? "")
    );
  });
}

/** Refusals that lose what was typed: an answer in a branch before the write that shows no form again. */
function lostIn({ body, writes }: Handler): readonly Node[] {
  const first = lineOf(writes[0]) ?? 0;
  return within(body).filter((each) => {
    if (each.type !== "IfStatement" || each.loc.start.line >= first) return false;
    const names = within(each.consequent as Node).flatMap((one) =>
      one.type === "CallExpression" ? [pathOf(one.callee)?.at(-1) ?? ""] : [],
    );
    // Who may not, or what is not there, has nothing to be shown again.
    const codes = within(each.consequent as Node).flatMap((one) =>
      one.type === "NumericLiteral" ? [one.value as number] : [],
    );
    const isOfForm = codes.every((code) => code === 400 || code === 422);
    return isOfForm && names.includes("redirect") && !names.includes("render");
  });
}

/** Whether a value of the body is turned into a truth: compared, negated, or given to something. */
function isTurned(read: Node, parents: ReadonlyMap<Node, Node>): boolean {
  for (let at = parents.get(read); at; at = parents.get(at)) {
    if (/^(BinaryExpression|UnaryExpression|ConditionalExpression|LogicalExpression|IfStatement)$/.test(at.type))
      return true;
    if (
      at.type === "CallExpression" &&
      /^(Boolean|Number|String|parse\w*|to\w+|is\w+)$/.test(pathOf(at.callee)?.at(-1) ?? "")
    )
      return true;
    if (isFunction(at)) return false;
  }
  return false;
}

function ofBody(
  handler: Handler,
  form: HtmlForm,
  matched: readonly Matched[],
  { parents, text }: { readonly parents: ReadonlyMap<Node, Node>; readonly text: string },
): FormFinding[] {
  const found: FormFinding[] = [];
  const { names, whole } = readsOf(handler.body, parents);
  const say = (
    code: Parameters<typeof formFinding>[0],
    message: string,
    at: Node,
    control: string | null = null,
  ): void => {
    found.push(formFinding(code, message, placeOf(at), { control, in: "handler" }));
  };
  for (const node of whole.slice(0, 1))
    say("columns-from-body", "Whatever the body brings is written: also columns that the form does not have.", node);
  const sent = form.controls.filter(({ isDisabled, kind }) => !isDisabled && kind !== "file");
  const isToken = (name: string): boolean => /csrf|xsrf|token|nonce|authenticity/i.test(name);
  for (const { name, kind, place } of sent) {
    if (whole.length > 0 || names.has(name) || kind === "hidden") continue;
    found.push(
      formFinding("not-read", `The handler does not read “${name}”: what is entered there is lost.`, place, {
        control: name,
      }),
    );
  }
  for (const [name, node] of names)
    if (sent.every((control) => control.name !== name) && !isToken(name))
      say("not-sent", `The handler reads “${name}”, which the form does not send.`, node, name);
  const token = sent.find(({ name, kind }) => kind === "hidden" && isToken(name));
  if (token && !names.has(token.name) && !/csrf|xsrf/i.test(text.replaceAll(/(["'`])(?:(?!\1).)*\1/g, "")))
    found.push(
      formFinding("token-not-checked", `The form sends “${token.name}”, and nothing compares it.`, token.place, {
        control: token.name,
      }),
    );
  for (const { control, column } of matched) {
    if (column.type.kind !== "boolean" || control.kind !== "checkbox" || control.hasHidden) continue;
    const read = names.get(control.name);
    const isBare = read === undefined ? whole.length > 0 : read.type !== "ObjectProperty" && !isTurned(read, parents);
    if (isBare)
      found.push(
        formFinding(
          "box-cannot-be-switched-off",
          `“${control.name}” sends nothing where it is not ticked, and the handler does not take that for false.`,
          control.place,
          { control: control.name },
        ),
      );
  }
  const demanded = matched.filter(({ control }) => Object.keys(control.demands).length > 0);
  const [first] = handler.writes;
  if (demanded.length > 0 && first && !isJudging(handler))
    say(
      "browser-judges-alone",
      `What the form demands (${demanded.map(({ control }) => control.name).join(", ")}) is judged by the browser alone.`,
      first.node,
    );
  for (const node of lostIn(handler))
    say(
      "typed-is-lost",
      "A refusal leads away from the form: what was typed is lost, and what is wrong with it.",
      node,
    );
  return found;
}

/** What a handler does with a form: as far as its code tells it. */
export function readHandler(text: string, form: HtmlForm, matched: readonly Matched[], table: Table): HandlerRead {
  const program = readCode(text);
  if (typeof program === "string") return { findings: [], notRead: [{ line: 1, column: 1, because: program }] };
  const parents = parentsIn(program);
  const handlers = handlersIn(program, parents);
  const [handler] = handlers;
  if (!handler)
    return {
      findings: [],
      notRead: [{ line: 1, column: 1, because: "No function with a statement that changes something was found." }],
    };
  const findings: FormFinding[] = [];
  for (const each of handlers) {
    if (each.method === "get")
      findings.push(
        formFinding("get-for-a-change", "A GET changes something: a link is enough to do so.", placeOf(each.body), {
          in: "handler",
        }),
      );
    for (const write of each.writes) findings.push(...ofWrite(write, each, table, parents));
  }
  findings.push(...ofBody(handler, form, matched, { parents, text }));
  return {
    findings,
    notRead: handler.writes.flatMap(({ node, call }) =>
      call ? [] : [{ ...placeOf(node), because: "It was not found where this statement is sent." }],
    ),
  };
}

/** The tables that a handler's statements change, as they are written there: an update's before others. */
export function tablesWritten(text: string): readonly string[] {
  const program = readCode(text);
  if (typeof program === "string") return [];
  const statements = writesIn(program, parentsIn(program)).slice(0, mostWrites);
  const found = statements.flatMap(({ sql }) => {
    const [, verb = "", name = ""] =
      /^\s*(update|insert\s+into|delete\s+from)\s+(?:only\s+)?((?:"[^"]+"|\w+)(?:\.(?:"[^"]+"|\w+))?)/i.exec(sql) ?? [];
    return name === "" ? [] : [{ name: name.replaceAll('"', ""), isUpdate: verb.toLowerCase() === "update" }];
  });
  return [...new Set(found.toSorted((a, b) => Number(b.isUpdate) - Number(a.isUpdate)).map(({ name }) => name))];
}
