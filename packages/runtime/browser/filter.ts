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
  const sections = [...document.querySelectorAll<HTMLElement>("[data-rows]")].map((section) => ({
    section,
    rows: [...section.querySelectorAll<HTMLElement>(":scope > ol > li")].map((row) => ({
      row,
      text: (row.textContent ?? "").toLowerCase(),
    })),
  }));
  field.addEventListener("input", () => {
    const wanted = field.value.trim().toLowerCase();
    let shown = 0;
    for (const { section, rows } of sections) {
      const found = rows.filter(({ text }) => text.includes(wanted));
      const isFound = new Set(found.map(({ row }) => row));
      for (const { row } of rows) if (row.hidden === isFound.has(row)) row.hidden = !isFound.has(row);
      section.hidden = found.length === 0;
      shown += found.length;
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
