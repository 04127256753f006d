import { describe, expect, test } from "@jest/globals";
import fc from "fast-check";
import { claimsOf, signer } from "../testing/marrow-vale.js";
import { digest, readToken, writeToken } from "./token.js";

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

  test.each(["", ".", "x", "x.", "x.{}", `${signer.sign("token {}")}.{}`])("%p is no token", (token) => {
    expect(readToken(token, signer)).toBeUndefined();
  });

  test("the same text in another field has another digest", () => {
    expect(digest(signer, "name", "2.70")).not.toBe(digest(signer, "alert_m", "2.70"));
  });
});
