import { describe, expect, test } from "@jest/globals";
import { demandsOf } from "./demands.js";

const columns = ["channel", "status", "alert_m", "warning_m", "day", 'odd "name"'];
const read = (definition: string) =>
  demandsOf("c", definition, columns).map(({ column, by, values }) => [column, by, ...values]);

/** Definitions as `pg_get_constraintdef` prints them. */
describe("what a CHECK demands of one column", () => {
  test.each([
    ["CHECK ((channel > 0))", [["channel", ">", "0"]]],
    [
      "CHECK (((channel >= 1) AND (channel <= 16)))",
      [
        ["channel", ">=", "1"],
        ["channel", "<=", "16"],
      ],
    ],
    ["CHECK ((alert_m >= ('-1.5'::numeric)))", [["alert_m", ">=", "-1.5"]]],
    ["CHECK ((alert_m >= (0)::numeric))", [["alert_m", ">=", "0"]]],
    ["CHECK (((alert_m)::numeric <= (25)::numeric))", [["alert_m", "<=", "25"]]],
    ["CHECK ((day >= '1980-01-01'::date))", [["day", ">=", "1980-01-01"]]],
    ["CHECK ((status = ANY (ARRAY['new'::text, 'it''s used'::text])))", [["status", "in", "new", "it's used"]]],
    [
      "CHECK (((status)::text = ANY ((ARRAY['a, b'::character varying, 'c'::character varying])::text[])))",
      [["status", "in", "a, b", "c"]],
    ],
    ['CHECK (("odd ""name""" < 5))', [['odd "name"', "<", "5"]]],
    ["CHECK ((0 < channel))", [["channel", ">", "0"]]],
    ["CHECK (((channel IS NULL) OR (channel > 0)))", [["channel", ">", "0"]]],
    [
      "CHECK (((alert_m IS NULL) OR ((alert_m > (0)::numeric) AND (alert_m < (9)::numeric))))",
      [
        ["alert_m", ">", "0"],
        ["alert_m", "<", "9"],
      ],
    ],
    ["CHECK (((status = 'a'::text) OR (status = 'b OR c'::text)))", [["status", "in", "a", "b OR c"]]],
    ["CHECK ((char_length((status)::text) <= 5))", [["status", "characters <=", "5"]]],
    ["CHECK ((octet_length(status) < 5))", [["status", "bytes <=", "4"]]],
    ["CHECK ((btrim(status) <> ''::text))", [["status", "not blank"]]],
    ["CHECK ((length(TRIM(BOTH FROM status)) > 0))", [["status", "not blank"]]],
    ["CHECK ((status ~ '^MV-[0-9]{3}$'::text))", [["status", "matches", "MV-[0-9]{3}", "pattern ^MV-[0-9]{3}$"]]],
    ["CHECK (((status)::text ~* '^a'::text))", [["status", "matches", "[aA][\\s\\S]*", "pattern ^a in either case"]]],
    ["CHECK ((status ~ '^a'::citext))", [["status", "matches", "[aA][\\s\\S]*", "pattern ^a in either case"]]],
    ["CHECK ((status ~~ 'MV\\_%'::text))", [["status", "matches", "MV_[\\s\\S]*", "LIKE MV\\_%"]]],
  ])("%s", (definition, demands) => {
    expect(read(definition)).toEqual(demands);
  });

  test("of several parts those are taken that were understood; the rest is left to the table", () => {
    expect(read("CHECK (((warning_m > alert_m) AND (alert_m > (0)::numeric)))")).toEqual([["alert_m", ">", "0"]]);
    expect(read("CHECK (((status <> 'x'::text) AND (((channel > 1)) AND (channel < 9))))")).toEqual([
      ["channel", ">", "1"],
      ["channel", "<", "9"],
    ]);
  });

  test.each([
    "CHECK (((channel > 1) OR (channel < 0)))",
    "CHECK ((NOT (channel > 1)))",
    "CHECK (((alert_m)::integer > 1))",
    "CHECK ((char_length(status) <= warning_m))",
    "CHECK ((status ~ day))",
    "CHECK ((status ~ '^(a)\\1$'::text))",
    "CHECK ((status = ANY (ARRAY['new'::citext, 'used'::citext])))",
    "CHECK (((channel = 1) OR (alert_m = (2)::numeric)))",
    "CHECK (((alert_m IS NULL) OR (channel > 1)))",
    "CHECK (((channel IS NULL) OR (alert_m IS NULL) OR (channel > 1)))",
    "CHECK ((alert_m > warning_m))",
    "CHECK ((other > 1))",
    "CHECK ((channel > 1)) NOT VALID",
    "CHECK ((status = ANY (ARRAY['a'::text, lower('B'::text)])))",
    "UNIQUE (status)",
  ])("%s says nothing of one column alone", (definition) => {
    expect(read(definition)).toEqual([]);
  });
});
