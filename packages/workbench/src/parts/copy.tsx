import { useState } from "react";
import { Small } from "./inputs.js";

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
            () => say("The browser does not allow copying."),
          )
        }
      >
        Copy
      </Small>{" "}
      <span role="status">{said}</span>
    </>
  );
}
