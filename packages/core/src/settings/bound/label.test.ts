import { expect, test } from "@jest/globals";
import { labelFrom } from "./label.js";

test.each([
  ["installed_on", "Installed on"],
  ["InstalledOn", "Installed on"],
  ["river_id", "River"],
  ["id", "ID"],
  ["id_card", "ID card"],
  ["vat_rate", "VAT rate"],
  ["homepageUrl", "Homepage URL"],
  ["idea", "Idea"],
  ["zip", "Zip"],
  ["address1", "Address 1"],
  ["line_2", "Line 2"],
  ["sha256", "Sha256"],
  ["mp3", "Mp3"],
  ["_", "_"],
])("the column %s is called %s", (name, label) => {
  expect(labelFrom(name)).toBe(label);
});
