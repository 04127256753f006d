import { describe, expect, test } from "@jest/globals";
import { joinPolicy, nonceIn } from "./policy.js";

describe("an application's own policy", () => {
  test("is joined where it would stop the pages, and kept in all else", () => {
    expect(joinPolicy("default-src 'none'; img-src 'self'; frame-ancestors 'none'")).toBe(
      "default-src 'none'; img-src 'self' data:; frame-ancestors 'none'; script-src 'self'; connect-src 'self'; style-src 'self'",
    );
    expect(joinPolicy("script-src cdn.example")).toBe("script-src cdn.example 'self'");
  });

  test("keeps what its default allows where a directive is added", () => {
    expect(joinPolicy("default-src 'self' cdn.example")).toBe(
      "default-src 'self' cdn.example; img-src 'self' cdn.example data:",
    );
  });

  test("is not weakened where it says nothing: what it leaves open stays open, and nothing more is said", () => {
    expect(joinPolicy("upgrade-insecure-requests")).toBe("upgrade-insecure-requests");
    expect(joinPolicy("form-action 'none'; script-src *; style-src *")).toBe(
      "form-action 'self'; script-src *; style-src *",
    );
  });

  test("with a nonce and 'strict-dynamic' goes by the nonce", () => {
    const policy = "script-src 'nonce-Zm9v' 'strict-dynamic'; style-src 'self'";
    expect(joinPolicy(policy)).toBe(policy);
    expect(nonceIn(policy)).toBe("Zm9v");
    expect(nonceIn("script-src 'self'")).toBeNull();
    expect(nonceIn(undefined)).toBeNull();
  });

  test("of several each is joined, since each of them holds", () => {
    expect(joinPolicy(["script-src 'none'", "script-src a.example, form-action 'none'"])).toBe(
      "script-src 'self', script-src a.example 'self', form-action 'self'",
    );
    expect(joinPolicy(undefined)).toBeNull();
  });

  test("for elements of their own is joined where it is there", () => {
    expect(joinPolicy("script-src 'none'; script-src-elem x.example")).toBe(
      "script-src 'self'; script-src-elem x.example 'self'",
    );
  });
});
