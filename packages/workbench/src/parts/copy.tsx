import { useState } from "react";
import { Small } from "./inputs.js";

/** What is said where the clipboard may not be written to. */
export const copyingRefused = "The browser does not allow copying.";

/** A button that copies a text, and says whether it did. */
export function Copy({ text, what }: { text: string; what: string }) {
  const [said, say] = useState<string>();
  return (
    <>
      <Small
        type="button"
        aria-label={`Copy ${what}`}
        onClick={() =>
          navigator.clipboard.writeText(text).then(
            () => say("Copied."),
            () => say(copyingRefused),
          )
        }
      >
        Copy
      </Small>{" "}
      <span role="status">{said}</span>
    </>
  );
}
