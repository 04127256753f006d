import { describe, expect, test } from "@jest/globals";
import { setByTrigger } from "./trigger.js";

const body = (source: string): readonly string[] | null => setByTrigger({ function: "f", source, arguments: [] });

describe("the columns that a trigger may set before a row is written", () => {
  test.each([
    ["BEGIN NEW.code := upper(NEW.code); RETURN NEW; END", ["code"]],
    ["begin if new.slug is null then new.slug = slugify(new.name); end if; return new; end;", ["slug"]],
    ['DECLARE n int; BEGIN NEW."Changed At" = now(); n := 1; RETURN NEW; END', ["Changed At"]],
    [
      "BEGIN SELECT r.region_id, r.name INTO STRICT NEW.region_id, NEW.region FROM river r; RETURN NEW; END",
      ["region_id", "region"],
    ],
    ["BEGIN EXECUTE 'SELECT 1' INTO new.level USING new.id; RETURN NEW; END", ["level"]],
    ["BEGIN NEW.tags[1] := 'a'; NEW.place.lat := 1; RETURN NEW; END", ["tags", "place"]],
    ["BEGIN GET DIAGNOSTICS NEW.touched = ROW_COUNT; RETURN NEW; END", ["touched"]],
    [
      "BEGIN IF TG_OP = 'UPDATE' THEN NEW.version = OLD.version + 1; ELSE NEW.version = 1; END IF; RETURN NEW; END",
      ["version"],
    ],
    // Read only: compared, raised, handed on, written elsewhere.
    ["BEGIN IF NEW.status = 'live' THEN RAISE EXCEPTION 'no %', NEW.code; END IF; RETURN NEW; END", []],
    [
      "BEGIN IF OLD.* IS DISTINCT FROM NEW.* THEN PERFORM note(to_jsonb(NEW)); END IF; RETURN COALESCE(NEW, OLD); END",
      [],
    ],
    [
      "BEGIN INSERT INTO note (code) VALUES (NEW.code); IF TG_OP = 'DELETE' THEN RETURN OLD; END IF; RETURN NEW; END",
      [],
    ],
    ["BEGIN UPDATE river SET name = NEW.name WHERE id = NEW.id; RETURN NULL; END", []],
    // What only looks like it.
    ["BEGIN -- NEW.code := 1;\n /* NEW.name := 2; */ RAISE NOTICE 'NEW.x := 3; RETURN r;'; RETURN NEW; END", []],
    ["BEGIN RAISE NOTICE E'it\\'s NEW.x := 1;'; PERFORM $q$ NEW.y := 1; $q$; RETURN NEW; END", []],
    ["BEGIN renew.code := 1; NEW.news := 2; RETURN NEW; END", ["news"]],
  ])("%s", (source, columns) => {
    expect(body(source)).toEqual(columns);
  });

  test.each([
    "BEGIN NEW := f(NEW); RETURN NEW; END",
    "BEGIN NEW = jsonb_populate_record(NEW, '{}'); RETURN NEW; END",
    "BEGIN SELECT * INTO NEW FROM river LIMIT 1; RETURN NEW; END",
    "DECLARE r river; BEGIN r := NEW; r.code := 1; RETURN r; END",
    "BEGIN RETURN NEW #= hstore('code', 'a'); END",
    "BEGIN CALL put_right(NEW); RETURN NEW; END",
    "DECLARE row_now ALIAS FOR NEW; BEGIN row_now.code := 1; RETURN NEW; END",
  ])("may be any: %s", (source) => {
    expect(body(source)).toBeNull();
  });

  test("of PostgreSQL's own functions those that their triggers name; of other languages any", () => {
    const of = (name: string, ...given: string[]) => setByTrigger({ function: name, source: null, arguments: given });
    expect(of("moddatetime", "changed_at")).toEqual(["changed_at"]);
    expect(of("suppress_redundant_updates_trigger")).toEqual([]);
    expect(of("put_right")).toBeNull();
  });
});
