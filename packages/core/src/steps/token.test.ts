import { describe, expect, test } from "@jest/globals";
import fc from "fast-check";
import { claimsOf, formDigest, signer } from "../testing/marrow-vale.js";
import { isMarkOf, readToken, sessionMark, writeToken } from "./token.js";

const claims = claimsOf();

describe("the form's token", () => {
  test("what was signed is read again", () => {
    expect(readToken(writeToken(claims, signer), signer)).toEqual(claims);
  });

  test("a change of any one character makes it worthless", () => {
    const token = writeToken(claims, signer);
    fc.assert(
      fc.property(fc.nat(token.length - 1), fc.constantFrom("x", "0", '"', "}"), (place, letter) => {
        fc.pre(token[place] !== letter);
        expect(readToken(token.slice(0, place) + letter + token.slice(place + 1), signer)).toBeUndefined();
      }),
    );
  });

  test.each(["", ".", "x", "x.", "x.{}", `${signer.sign("token {}")}.{}`, `${signer.sign("{}")}.{}`])(
    "%p is no token",
    (token) => {
      expect(readToken(token, signer)).toBeUndefined();
    },
  );

  test("what stands for a session is known after another key has come before the one that made it, and of no other session", () => {
    const newer = { ...signer, sign: (text: string) => signer.sign(`by another key ${text}`), older: [signer] };
    const mark = sessionMark("one", signer);
    expect([signer, newer].map((by) => isMarkOf(mark, "one", by))).toEqual([true, true]);
    expect(isMarkOf(mark, "two", newer)).toBe(false);
    expect(isMarkOf(sessionMark("one", newer), "one", signer)).toBe(false);
  });

  test("the same text in another field has another digest", () => {
    const long = "Nettles. Bring gloves & a <long> rake.";
    expect(formDigest("name", long)).not.toBe(formDigest("notes", long));
  });

  test("a short text is kept as it is, and no digest looks like one", () => {
    expect(formDigest("alert_m", "2.70")).toBe("=2.70");
    expect(formDigest("alert_m", "x".repeat(13))).not.toContain("=");
  });
});
