import { describe, expect, test } from "@jest/globals";
import { contentOf, editPageFile, mergePageFiles } from "@loyal-quill/authoring";
import type { DraftAnswer } from "@loyal-quill/server/api";
import fc from "fast-check";
import { type DraftAction, type DraftState, isUnsaved, noDraft, reduceDraft } from "./draft-state.js";

const fields = Array.from({ length: 8 }, (_, index) => `f${index}`);
const begun = `format: loyal-quill/page@1
title: Begin
path: /x/{id}
record: { table: network.x, key: id }
fields:
${fields.map((name) => `  - ${name}: { label: ${name} }`).join("\n")}
`;

const answerOf = (text: string, revision: number, more: Partial<DraftAnswer> = {}): DraftAnswer => ({
  name: "x",
  text,
  published: begun,
  revision,
  by: null,
  at: null,
  differs: [],
  drift: [],
  fileChanged: null,
  ...more,
});

const labelled = (text: string, field: string, label: string): string =>
  editPageFile(text, [{ do: "set", path: ["fields", field, "label"], value: label }]);

const labelIn = (text: string, field: string): unknown => {
  const listed = (contentOf(text) as { fields: Record<string, { label: string }>[] }).fields;
  return listed.find((each) => field in each)?.[field]?.label;
};

/** A server as the real one merges: what was sent, made to what it was made from, onto what is there now. */
class Server {
  text = begun;
  revision = 0;

  save(was: string, text: string): DraftAnswer {
    const merged = mergePageFiles(was, text, this.text);
    if (merged.text !== this.text) this.revision += 1;
    this.text = merged.text;
    return answerOf(this.text, this.revision, { conflicts: merged.conflicts });
  }

  read(): DraftAnswer {
    return answerOf(this.text, this.revision);
  }
}

/** One person's workbench: its state, and what is on its way. */
class Person {
  state: DraftState = reduceDraft(noDraft, { do: "begin", answer: answerOf(begun, 0) });
  private on: { answer: DraftAnswer | null } | null = null;
  private heard: { answer: DraftAnswer; kept: string } | null = null;

  constructor(private readonly server: Server) {}

  do(action: DraftAction): void {
    this.state = reduceDraft(this.state, action);
  }

  /** The request goes out; it arrives, or is lost on the way there. */
  send(arrives: boolean): void {
    if (this.on || !isUnsaved(this.state)) return;
    if (this.state.doubtful !== null) {
      if (arrives) this.do({ do: "hear", answer: this.server.read(), kept: this.state.kept });
      else this.do({ do: "not sent", why: "lost" });
      if (!arrives) return;
    }
    const { kept, text = "" } = this.state;
    if (text === kept) return;
    this.do({ do: "send" });
    this.on = { answer: arrives ? this.server.save(kept, text) : null };
  }

  /** Its answer comes, or is lost on the way back. */
  receive(comes: boolean): void {
    if (!this.on) return;
    const { answer } = this.on;
    this.on = null;
    if (answer && comes) this.do({ do: "sent", answer });
    else this.do({ do: "not sent", why: "lost" });
  }

  /** The feed tells that there is something new; what was read may come late. */
  ask(): void {
    this.heard = { answer: this.server.read(), kept: this.state.kept };
  }

  hear(): void {
    if (this.heard) this.do({ do: "hear", ...this.heard });
    this.heard = null;
  }

  settle(): void {
    this.receive(true);
    this.heard = null;
    this.send(true);
    this.receive(true);
    this.do({ do: "hear", answer: this.server.read(), kept: this.state.kept });
  }
}

type Step =
  | { readonly who: 0 | 1; readonly do: "edit"; readonly field: number; readonly label: number }
  | { readonly who: 0 | 1; readonly do: "undo" | "redo" | "ask" | "hear" }
  | { readonly who: 0 | 1; readonly do: "send" | "receive"; readonly well: boolean };

const who = fc.constantFrom<0 | 1>(0, 1);
const step: fc.Arbitrary<Step> = fc.oneof(
  { weight: 4, arbitrary: fc.record({ who, do: fc.constant("edit" as const), field: fc.nat(3), label: fc.nat(999) }) },
  { weight: 2, arbitrary: fc.record({ who, do: fc.constantFrom("undo" as const, "redo" as const) }) },
  { weight: 2, arbitrary: fc.record({ who, do: fc.constantFrom("ask" as const, "hear" as const) }) },
  {
    weight: 5,
    arbitrary: fc.record({
      who,
      do: fc.constantFrom("send" as const, "receive" as const),
      well: fc.boolean(),
    }),
  },
);

/** Plays steps; each person edits four fields of their own. @returns the two, and what each of their fields should come to */
function play(steps: readonly Step[]) {
  const server = new Server();
  const people = [new Person(server), new Person(server)] as const;
  let at = 0;
  for (const each of steps) {
    const person = people[each.who];
    at += 5000;
    switch (each.do) {
      case "edit": {
        const field = fields[each.who * 4 + each.field] ?? "";
        const text = labelled(person.state.text ?? "", field, `L${each.label}`);
        person.do({ do: "write", text, what: `label of ${field}`, at });
        break;
      }
      case "undo":
      case "redo":
        person.do({ do: each.do });
        break;
      case "send":
        person.send(each.well);
        break;
      case "receive":
        person.receive(each.well);
        break;
      default:
        person[each.do]();
    }
  }
  return { server, people };
}

describe("a draft that two people work on", () => {
  test("comes to the same for both and on the server, whatever is lost on the way and in whichever order", () => {
    fc.assert(
      fc.property(fc.array(step, { maxLength: 40 }), (steps) => {
        const { server, people } = play(steps);
        const own = people.map(({ state }, index) =>
          fields.slice(index * 4, index * 4 + 4).map((field) => labelIn(state.text ?? "", field)),
        );
        for (let turn = 0; turn < 3; turn++) for (const person of people) person.settle();
        for (const [index, { state }] of people.entries()) {
          expect(state.text).toBe(server.text);
          expect(isUnsaved(state)).toBe(false);
          expect(fields.slice(index * 4, index * 4 + 4).map((field) => labelIn(server.text, field))).toEqual(
            own[index],
          );
        }
      }),
      { numRuns: 300 },
    );
  });

  test("loses no conflict: where both change the same, one stays and the other is offered", () => {
    const server = new Server();
    const [one, other] = [new Person(server), new Person(server)];
    for (const [person, label] of [
      [one, "mine"],
      [other, "theirs"],
    ] as const)
      person.do({ do: "write", text: labelled(begun, "f0", label), what: "label", at: 0 });
    one.settle();
    other.settle();
    expect(labelIn(server.text, "f0")).toBe("mine");
    expect(other.state.conflicts).toHaveLength(1);
    const [conflict] = other.state.conflicts;
    if (!conflict) throw new Error("no conflict");
    other.do({ do: "settle", conflict, mine: true, at: 1 });
    other.settle();
    one.settle();
    expect([labelIn(one.state.text ?? "", "f0"), other.state.conflicts]).toEqual(["theirs", []]);
  });
});

describe("steps back and forth", () => {
  const write = (state: DraftState, text: string, what: string, at: number): DraftState =>
    reduceDraft(state, { do: "write", text, what, at });
  const start = reduceDraft(noDraft, { do: "begin", answer: answerOf(begun, 0) });

  test("what is typed in one go is one step", () => {
    const typed = ["a", "ab", "abc"].reduce((state, text, index) => write(state, text, "label", index * 300), start);
    const later = write(typed, "abcd", "label", 5000);
    expect(later.past).toHaveLength(2);
    const back = reduceDraft(later, { do: "undo" });
    expect([back.text, reduceDraft(back, { do: "undo" }).text]).toEqual(["abc", begun]);
    expect(reduceDraft(back, { do: "redo" }).text).toBe("abcd");
  });

  test("leave what others changed meanwhile", () => {
    const mine = write(start, labelled(begun, "f0", "mine"), "label", 0);
    const heard = reduceDraft(mine, { do: "hear", answer: answerOf(labelled(begun, "f5", "theirs"), 1), kept: begun });
    const back = reduceDraft(heard, { do: "undo" });
    expect([labelIn(back.text ?? "", "f0"), labelIn(back.text ?? "", "f5")]).toEqual(["f0", "theirs"]);
  });

  test("at most two hundred are kept, and a new change ends what could be done again", () => {
    let state = start;
    for (let turn = 0; turn < 250; turn++) state = write(state, `text ${turn}`, `change ${turn}`, turn * 5000);
    expect(state.past).toHaveLength(200);
    const back = reduceDraft(state, { do: "undo" });
    expect(back.future).toHaveLength(1);
    expect(write(back, "other", "change", 1e9).future).toEqual([]);
  });

  test("a discarded draft can be had back", () => {
    const mine = write(start, labelled(begun, "f0", "mine"), "label", 0);
    const gone = reduceDraft(mine, { do: "replace", answer: answerOf(begun, 0), what: "discard draft" });
    expect(labelIn(gone.text ?? "", "f0")).toBe("f0");
    expect(labelIn(reduceDraft(gone, { do: "undo" }).text ?? "", "f0")).toBe("mine");
  });
});

describe("a draft that somebody else ends", () => {
  const start = reduceDraft(noDraft, { do: "begin", answer: answerOf(begun, 0) });
  const mine = labelled(begun, "f0", "mine");
  const typed = reduceDraft(start, { do: "write", text: mine, what: "label", at: 0 });
  const kept = reduceDraft(reduceDraft(typed, { do: "send" }), { do: "sent", answer: answerOf(mine, 1) });

  test("by discarding it is told with who did, and had back by one step", () => {
    const gone = reduceDraft(kept, { do: "hear", answer: answerOf(begun, 0), kept: mine, by: "Maud" });
    expect([gone.ended, labelIn(gone.text ?? "", "f0")]).toEqual([{ how: "discarded", by: "Maud" }, "f0"]);
    const back = reduceDraft(gone, { do: "undo" });
    expect([back.ended, back.text, isUnsaved(back)]).toEqual([null, mine, true]);
    expect(reduceDraft(gone, { do: "dismiss" }).ended).toBeNull();
  });

  test("keeps what the server did not have yet", () => {
    const further = reduceDraft(kept, { do: "write", text: labelled(mine, "f1", "too"), what: "label", at: 9000 });
    const gone = reduceDraft(further, { do: "hear", answer: answerOf(begun, 0), kept: mine, by: "Maud" });
    expect(["f0", "f1"].map((name) => labelIn(gone.text ?? "", name))).toEqual(["f0", "too"]);
    const back = reduceDraft(gone, { do: "undo" });
    expect(["f0", "f1"].map((name) => labelIn(back.text ?? "", name))).toEqual(["mine", "too"]);
  });

  test("by publishing is told, and is no step", () => {
    const served = answerOf(mine, 0, { published: mine });
    const published = reduceDraft(kept, { do: "hear", answer: served, kept: mine, by: "Maud" });
    expect([published.ended, published.past]).toEqual([{ how: "published", by: "Maud" }, kept.past]);
    // The file may be heard of before who has published it.
    const unnamed = reduceDraft(kept, { do: "hear", answer: served, kept: mine });
    expect(unnamed.ended).toEqual({ how: "published", by: null });
    expect(reduceDraft(unnamed, { do: "hear", answer: served, kept: mine, by: "Maud" })).toEqual(published);
    // One's own is known otherwise.
    expect(reduceDraft(published, { do: "took", answer: served }).ended).toBeNull();
  });

  test("and that was never published is kept here, and begun anew by whatever is changed", () => {
    const alone = reduceDraft(noDraft, { do: "begin", answer: answerOf(mine, 1, { published: null }) });
    const gone = reduceDraft(alone, { do: "gone", by: "Maud" });
    expect([gone.text, isUnsaved(gone), gone.revision, gone.isGone]).toEqual([mine, false, 0, true]);
    expect(gone.ended).toEqual({ how: "discarded", by: "Maud" });
    expect(reduceDraft(gone, { do: "gone" })).toBe(gone);
    const served = reduceDraft(noDraft, { do: "begin", answer: answerOf(mine, 0, { published: mine }) });
    expect(reduceDraft(served, { do: "gone" }).ended).toEqual({ how: "removed", by: null });
    const further = reduceDraft(gone, { do: "write", text: labelled(mine, "f1", "too"), what: "label", at: 9000 });
    const sending = reduceDraft(further, { do: "send" });
    expect(sending.sending).toBe(further.text);
    const answer = answerOf(further.text ?? "", 1, { published: null });
    const begunAnew = reduceDraft(sending, { do: "sent", answer });
    expect([begunAnew.isGone, begunAnew.ended, isUnsaved(begunAnew), begunAnew.revision]).toEqual([
      false,
      null,
      false,
      1,
    ]);
    expect(reduceDraft(gone, { do: "took", answer })).toMatchObject({ isGone: false, ended: null, revision: 1 });
  });

  test("is one step where it is one's own, whichever is heard of first", () => {
    const heard = reduceDraft(kept, { do: "hear", answer: answerOf(begun, 0), kept: mine, by: "Self" });
    const both = reduceDraft(heard, { do: "replace", answer: answerOf(begun, 0), what: "discard draft" });
    expect([both.ended, both.past.length]).toEqual([null, kept.past.length + 1]);
    expect(reduceDraft(both, { do: "undo" }).text).toBe(mine);
  });
});

describe("what is on its way", () => {
  const start = reduceDraft(noDraft, { do: "begin", answer: answerOf(begun, 0) });
  const typed = reduceDraft(start, { do: "write", text: labelled(begun, "f0", "b"), what: "label", at: 0 });

  test("is sent once, and what is typed meanwhile is neither lost nor taken for another's", () => {
    const sending = reduceDraft(typed, { do: "send" });
    expect(reduceDraft(sending, { do: "send" })).toBe(sending);
    const further = reduceDraft(sending, { do: "write", text: labelled(begun, "f0", "c"), what: "label", at: 9000 });
    const heard = reduceDraft(further, { do: "hear", answer: answerOf(labelled(begun, "f0", "b"), 1), kept: begun });
    expect(heard.conflicts).toEqual([]);
    const sent = reduceDraft(heard, { do: "sent", answer: answerOf(labelled(begun, "f0", "b"), 1) });
    expect([labelIn(sent.text ?? "", "f0"), isUnsaved(sent), sent.conflicts]).toEqual(["c", true, []]);
  });

  test("what was asked before it arrived takes nothing back", () => {
    const sent = reduceDraft(reduceDraft(typed, { do: "send" }), {
      do: "sent",
      answer: answerOf(labelled(begun, "f0", "b"), 1),
    });
    expect(reduceDraft(sent, { do: "hear", answer: answerOf(begun, 0), kept: begun })).toBe(sent);
  });

  test("that does not arrive is told and stays to be sent", () => {
    const lost = reduceDraft(reduceDraft(typed, { do: "send" }), { do: "not sent", why: "Not saved: x. Retrying." });
    expect([lost.complaint, isUnsaved(lost), lost.sending]).toEqual(["Not saved: x. Retrying.", true, null]);
  });

  test("what was sent without an answer is one's own when it is found on the server, and no conflict with what was typed after it", () => {
    const server = new Server();
    const person = new Person(server);
    const write = (label: string): void =>
      person.do({ do: "write", text: labelled(person.state.text ?? "", "f0", label), what: label, at: 0 });
    write("first");
    person.send(true);
    person.receive(false);
    expect([server.revision, isUnsaved(person.state)]).toEqual([1, true]);
    write("second");
    person.settle();
    expect([labelIn(server.text, "f0"), person.state.conflicts, isUnsaved(person.state)]).toEqual([
      "second",
      [],
      false,
    ]);
    expect(person.state.complaint).toBeNull();
  });

  test("is not sent before it is known whether the last one arrived, and each failure is an occasion to try again", () => {
    const lost = reduceDraft(reduceDraft(typed, { do: "send" }), { do: "not sent", why: "lost" });
    expect(reduceDraft(lost, { do: "send" })).toBe(lost);
    const again = reduceDraft(lost, { do: "not sent", why: "lost" });
    expect([again.failures, again.doubtful]).toEqual([2, lost.doubtful]);
    // What never arrived is sent as what it was made from says.
    const asked = reduceDraft(again, { do: "hear", answer: answerOf(begun, 0), kept: again.kept });
    expect([asked.text, asked.kept, asked.doubtful]).toEqual([typed.text, begun, null]);
  });

  test("a draft that was read a second time begins nothing anew", () => {
    expect(reduceDraft(typed, { do: "begin", answer: answerOf(begun, 7) })).toBe(typed);
  });
});
