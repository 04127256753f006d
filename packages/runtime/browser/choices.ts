/**
 * The script of the served pages: what can be done without it, made more pleasant. A choice that is made by searching becomes one
 * text field that finds as one types (ARIA Authoring Practices, combobox with list autocomplete); choices that depend on another
 * field follow it at once. The select stays where it is and is what is sent, so the server reads the same form either way.
 */

import { itself } from "./itself.js";

interface Option {
  readonly value: string;
  readonly label: string;
}

interface Found {
  readonly options: readonly Option[];
  readonly more: boolean;
}

type Words = Readonly<Record<"none" | "more" | "some" | "shown" | "pending", string>>;

/** Milliseconds of rest after a key before the server is asked. */
const rest = 150;

const filled = (text: string, places: Readonly<Record<string, string>>): string =>
  text.replaceAll(/\{(\w+)\}/g, (_, name: string) => places[name] ?? "");

/** Asks for a select's choices; an older question is given up for a newer one. */
class Source {
  private asking: AbortController | undefined;

  constructor(
    private readonly form: HTMLFormElement,
    private readonly select: HTMLSelectElement,
  ) {}

  /** The names of the fields that the choices depend on. */
  get dependsOn(): readonly string[] {
    return JSON.parse(this.select.dataset.with ?? "[]") as readonly string[];
  }

  async ask(text: string): Promise<Found | undefined> {
    this.asking?.abort();
    this.asking = new AbortController();
    const query = new URLSearchParams(text === "" ? {} : { q: text });
    const sent = new FormData(this.form);
    for (const name of this.dependsOn) query.set(`form.${name}`, String(sent.get(name) ?? ""));
    const address = `${itself(this.form).dataset.choices}/${encodeURIComponent(this.select.name)}?${query}`;
    try {
      const response = await fetch(address, { signal: this.asking.signal, headers: { accept: "application/json" } });
      return response.ok ? ((await response.json()) as Found) : undefined;
    } catch {
      // Given up, or the network is away: what was there stays.
      return undefined;
    }
  }
}

const optionOf = ({ value, label }: Option): HTMLOptionElement => new Option(label, value);

function element<Name extends keyof HTMLElementTagNameMap>(
  name: Name,
  attributes: Readonly<Record<string, string>>,
): HTMLElementTagNameMap[Name] {
  const made = document.createElement(name);
  for (const [attribute, value] of Object.entries(attributes)) made.setAttribute(attribute, value);
  return made;
}

/** A line that is read out when it changes. */
const statusLine = (): HTMLElement => element("p", { class: "quill-found", role: "status" });

/**
 * One text field in the place of a select: type to find, arrows to go through, Enter to choose. What was typed and not chosen stays in it, and
 * is sent under a name of its own: what people see is what is sent, and the server takes it or says what is the matter.
 */
class Finder {
  private readonly input: HTMLInputElement;
  private readonly list: HTMLUListElement;
  private readonly status = statusLine();
  private options: readonly Option[] = [];
  private isAll = false;
  private at = -1;
  private timer: number | undefined;

  constructor(
    private readonly select: HTMLSelectElement,
    private readonly source: Source,
    private readonly words: Words,
  ) {
    const { id } = select;
    this.list = element("ul", { role: "listbox", id: `${id}-list`, hidden: "" });
    this.input = element("input", {
      type: "text",
      id,
      role: "combobox",
      "aria-autocomplete": "list",
      "aria-expanded": "false",
      "aria-controls": this.list.id,
      autocomplete: "off",
    });
    const begun = this.takeOver(id);
    this.input.value = begun === "" ? this.chosenLabel() : begun;
    this.name();
    this.input.addEventListener("input", () => this.typed());
    this.input.addEventListener("keydown", (event) => this.pressed(event));
    this.input.addEventListener("focus", () => this.input.select());
    this.input.addEventListener("blur", () => void this.left());
    // Before the field loses its focus to the click.
    this.list.addEventListener("mousedown", (event) => {
      event.preventDefault();
      const chosen = (event.target as HTMLElement).closest("[role=option]");
      if (chosen) this.choose([...this.list.children].indexOf(chosen));
    });
    select.addEventListener("change", () => {
      if (document.activeElement !== this.input) this.restore();
    });
  }

  /**
   * Puts the field where the select was: same label, same description; the select goes on carrying the value.
   *
   * @returns what was looked for when the page was made
   */
  private takeOver(id: string): string {
    for (const name of ["aria-describedby", "aria-invalid"]) {
      const value = this.select.getAttribute(name);
      if (value !== null) this.input.setAttribute(name, value);
    }
    this.list.setAttribute("aria-label", this.select.labels[0]?.textContent ?? "");
    const focused = document.activeElement === this.select;
    this.select.id = `${id}-value`;
    this.select.removeAttribute("aria-invalid");
    this.select.required = false;
    this.select.hidden = true;
    const place = element("div", { class: "quill-picked" });
    this.select.before(place);
    place.append(this.input, this.list);
    const search = this.select.closest("[data-field]")?.querySelector<HTMLElement>("[data-choice-search]");
    const begun = search?.querySelector<HTMLInputElement>("input[type=search]")?.value ?? "";
    const isWrong = this.input.getAttribute("aria-invalid") === "true";
    // By that name the field is described, where the server has found something for it.
    this.status.id = `${id}-found`;
    search?.replaceWith(this.status);
    if (focused) this.input.focus();
    return isWrong ? begun : "";
  }

  private chosenLabel(): string {
    return this.select.value === "" ? "" : (this.select.selectedOptions[0]?.textContent ?? "");
  }

  /** Whether something stands in the field that is not what is chosen. */
  private get isPending(): boolean {
    const text = this.input.value.trim();
    return text !== "" && text !== this.chosenLabel().trim();
  }

  /** What is pending is sent as what is to be found; what is chosen, by the select. */
  private name(): void {
    if (this.isPending) this.input.name = this.select.dataset.find ?? "";
    else this.input.removeAttribute("name");
  }

  private typed(): void {
    clearTimeout(this.timer);
    if (this.input.value.trim() === "") this.empty();
    this.name();
    this.timer = setTimeout(() => void this.find(), rest);
  }

  /** An emptied field has nothing chosen, also where something has to be: then the server says so. */
  private empty(): void {
    if (this.select.value === "") return;
    if (![...this.select.options].some(({ value }) => value === "")) this.select.add(new Option("", ""));
    this.select.value = "";
    this.select.dispatchEvent(new Event("change", { bubbles: true }));
  }

  private async find(): Promise<void> {
    const text = this.input.value.trim();
    const found = await this.source.ask(text);
    if (!found || this.input.value.trim() !== text) return;
    this.options = found.options;
    this.isAll = !found.more;
    if (document.activeElement !== this.input) return;
    this.show();
    const count = String(found.options.length);
    this.status.textContent =
      found.options.length === 0
        ? filled(this.words.none, { text })
        : filled(found.more ? this.words.more : this.words.some, { count });
  }

  private show(): void {
    this.list.replaceChildren(
      ...this.options.map(({ label }, index) => {
        const line = element("li", { role: "option", id: `${this.list.id}-${index}`, "aria-selected": "false" });
        line.textContent = label;
        return line;
      }),
    );
    this.open(this.options.length > 0);
    this.point(-1);
  }

  private open(opened: boolean): void {
    this.list.hidden = !opened;
    this.input.setAttribute("aria-expanded", String(opened));
    if (!opened) this.input.removeAttribute("aria-activedescendant");
  }

  private point(at: number): void {
    this.at = at;
    for (const [index, line] of [...this.list.children].entries()) {
      line.setAttribute("aria-selected", String(index === at));
      if (index !== at) continue;
      this.input.setAttribute("aria-activedescendant", line.id);
      line.scrollIntoView({ block: "nearest" });
    }
  }

  private pressed(event: KeyboardEvent): void {
    const opened = !this.list.hidden;
    const count = this.options.length;
    if (event.key === "ArrowDown" || event.key === "ArrowUp") {
      event.preventDefault();
      if (!opened) void this.find();
      else if (event.key === "ArrowDown") this.point((this.at + 1) % count);
      else this.point((this.at <= 0 ? count : this.at) - 1);
    } else if (event.key === "Enter" && opened) {
      // The list is closed first; only a second Enter sends the form.
      event.preventDefault();
      if (this.at >= 0 || count === 1) this.choose(Math.max(0, this.at));
    } else if (event.key === "Escape" && (opened || this.isPending)) {
      event.preventDefault();
      this.restore();
    }
  }

  private choose(index: number): void {
    const chosen = this.options[index];
    if (!chosen) return;
    if (![...this.select.options].some((option) => option.value === chosen.value)) this.select.add(optionOf(chosen));
    this.select.value = chosen.value;
    this.select.dispatchEvent(new Event("change", { bubbles: true }));
    this.restore();
  }

  /** Shows what is chosen, whatever was typed. */
  private restore(): void {
    clearTimeout(this.timer);
    this.input.value = this.chosenLabel();
    this.name();
    this.status.textContent = "";
    this.open(false);
  }

  /** The only hit is taken, and the one that is called so; anything else stays as it was typed, and says so. */
  private async left(): Promise<void> {
    clearTimeout(this.timer);
    this.open(false);
    if (!this.isPending) return this.restore();
    const text = this.input.value.trim();
    await this.find();
    if (!this.isPending || this.input.value.trim() !== text || document.activeElement === this.input) return;
    const same = this.options.filter(
      ({ value, label }) => label.toLowerCase() === text.toLowerCase() || value.toLowerCase() === text.toLowerCase(),
    );
    const only = same.length === 1 ? same[0] : this.options.length === 1 && this.isAll ? this.options[0] : undefined;
    if (only) this.choose(this.options.indexOf(only));
    else this.status.textContent = this.words.pending;
  }
}

/** Keeps a list that depends on other fields in step with them. */
function follow(form: HTMLFormElement, select: HTMLSelectElement, source: Source, words: Words): void {
  const status = statusLine();
  select.closest("[data-field]")?.querySelector("[data-choice-search]")?.replaceWith(status);
  const refresh = async (): Promise<void> => {
    const found = await source.ask("");
    if (!found) return;
    const { value } = select;
    const options = found.options.map(optionOf);
    const kept = options.some((option) => option.value === value);
    const empty = !kept || [...select.options].some((option) => option.value === "");
    select.replaceChildren(...(empty ? [new Option("–", "")] : []), ...options);
    select.value = kept ? value : "";
    status.textContent = kept ? "" : words.shown;
  };
  itself(form).addEventListener("change", (event) => {
    const { name } = event.target as HTMLInputElement;
    if (source.dependsOn.includes(name)) void refresh();
  });
}

function begin(): void {
  for (const form of document.querySelectorAll<HTMLFormElement>("form[data-choices]")) {
    const words = JSON.parse(itself(form).dataset.words ?? "{}") as Words;
    for (const select of itself(form).querySelectorAll<HTMLSelectElement>("select[data-choices]")) {
      const source = new Source(form, select);
      if (select.dataset.by === "search") new Finder(select, source, words);
      else follow(form, select, source, words);
    }
  }
}

begin();
// What is shown in place of a page begins anew (see `in-place.ts`).
document.addEventListener("quill:shown", begin);
