import { describe, expect, test } from "@jest/globals";
import { signInTo } from "./sign-in.js";

describe("the way to a sign-in", () => {
  test.each([
    ["/sign-in", "/sign-in?next=%2Frecords%3Fq%3Da%26b"],
    ["/sign-in?realm=vale", "/sign-in?realm=vale&next=%2Frecords%3Fq%3Da%26b"],
    ["/#/sign-in", "/?next=%2Frecords%3Fq%3Da%26b#/sign-in"],
    ["https://id.example/go?via=records#top", "https://id.example/go?via=records&next=%2Frecords%3Fq%3Da%26b#top"],
  ])("%s says where to come back to", (signIn, address) => {
    expect(signInTo(signIn, "/records?q=a&b")).toBe(address);
  });
});
