/** The rows of an uploaded file, filtered by what they say: a field in the place that the page keeps for it. */

function begin(): void {
  const place = document.querySelector<HTMLElement>("[data-filter]");
  if (!place || place.childElementCount > 0) return;
  const label = document.createElement("label");
  const field = document.createElement("input");
  const none = document.createElement("span");
  field.type = "search";
  field.autocomplete = "off";
  none.setAttribute("role", "status");
  label.append(place.dataset.filter ?? "", " ", field);
  place.append(label, " ", none);
  place.hidden = false;
  field.addEventListener("input", () => {
    const wanted = field.value.trim().toLowerCase();
    let shown = 0;
    for (const section of document.querySelectorAll("[data-rows]")) {
      let here = 0;
      for (const row of section.querySelectorAll<HTMLElement>(":scope > ol > li")) {
        row.hidden = wanted !== "" && !(row.textContent ?? "").toLowerCase().includes(wanted);
        if (!row.hidden) here += 1;
      }
      (section as HTMLElement).hidden = here === 0;
      shown += here;
    }
    none.textContent = shown === 0 ? (place.dataset.none ?? "") : "";
  });
  // The enter key would save: it is for the buttons.
  field.addEventListener("keydown", (event) => {
    if (event.key === "Enter") event.preventDefault();
  });
}

begin();
document.addEventListener("quill:shown", begin);
