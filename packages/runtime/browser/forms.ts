/**
 * What is wrong with a form is said before it is sent: the server is asked, so that rules, words and order are those of the answer
 * that comes without this script, and all of them at once. Nothing is written when it is asked.
 */

interface Problem {
  /** The column's name; null above the form. */
  readonly field: string | null;
  readonly message: string;
}

interface Judged {
  readonly problems: readonly Problem[];
  readonly heading: string;
  readonly advice: string;
  readonly title: string;
}

/** Milliseconds after which the form is sent without having been asked about: the answer will say the same. */
const patience = 4000;

const made = <Name extends keyof HTMLElementTagNameMap>(
  name: Name,
  attributes: Readonly<Record<string, string>>,
  ...content: readonly (string | Node)[]
): HTMLElementTagNameMap[Name] => {
  const element = document.createElement(name);
  for (const [attribute, value] of Object.entries(attributes)) element.setAttribute(attribute, value);
  element.append(...content);
  return element;
};

/** A form whose problems are told beside its fields and above it. */
class JudgedForm {
  private asking = false;
  private sound = false;

  constructor(
    private readonly form: HTMLFormElement,
    private readonly address: string,
  ) {
    // The page's own messages are what people see, not the browser's.
    form.noValidate = true;
    form.addEventListener("submit", (event) => this.sent(event));
  }

  private sent(event: SubmitEvent): void {
    const submitter = event.submitter instanceof HTMLButtonElement ? event.submitter : null;
    // A button that asks for choices saves nothing.
    if (this.sound || submitter?.formNoValidate) return;
    event.preventDefault();
    if (!this.asking) void this.ask(submitter);
  }

  private async ask(submitter: HTMLButtonElement | null): Promise<void> {
    this.asking = true;
    const judged = await this.judged();
    this.asking = false;
    const unfinished = this.unfinished();
    const problems = [...unfinished, ...(judged?.problems ?? [])];
    if (judged && problems.length > 0) {
      this.show({ ...judged, problems });
      return;
    }
    this.sound = true;
    this.form.requestSubmit(submitter);
    this.sound = false;
  }

  /** What the server says of the form as it is; undefined where it does not answer soon: then the form is sent as it is. */
  private async judged(): Promise<Judged | undefined> {
    const pairs = [...new FormData(this.form)].flatMap(([name, value]): [string, string][] =>
      typeof value === "string" ? [[name, value]] : [],
    );
    const body = new URLSearchParams(pairs);
    body.set("quill.unfinished", String(this.unfinished().length));
    try {
      const response = await fetch(this.address, {
        method: "POST",
        body,
        redirect: "error",
        headers: { accept: "application/json" },
        signal: AbortSignal.timeout(patience),
      });
      return response.ok ? ((await response.json()) as Judged) : undefined;
    } catch {
      return undefined;
    }
  }

  /** Dates that were begun and not finished: the browser would send nothing for them (HTML, 4.10.5.1.7). */
  private unfinished(): Problem[] {
    return [...this.form.querySelectorAll<HTMLInputElement>("input[data-unfinished]")].flatMap((input) =>
      input.validity.badInput ? [{ field: input.name, message: input.dataset.unfinished ?? "" }] : [],
    );
  }

  private blockOf(name: string): HTMLElement | undefined {
    const blocks = [...this.form.querySelectorAll<HTMLElement>("[data-field], [data-own]")];
    return blocks.find(({ dataset }) => (dataset.field ?? dataset.own) === name);
  }

  private clear(): void {
    for (const section of document.querySelectorAll(".quill-summary")) section.remove();
    for (const line of this.form.querySelectorAll(".quill-problem")) line.remove();
    for (const block of this.form.querySelectorAll(".quill-field.quill-wrong")) block.classList.remove("quill-wrong");
    for (const control of this.form.querySelectorAll("[aria-invalid]")) control.removeAttribute("aria-invalid");
  }

  private show({ problems, heading, advice, title }: Judged): void {
    this.clear();
    const lines = problems.map(({ field, message }) => {
      const block = field === null ? undefined : this.blockOf(field);
      const id = block?.querySelector("label")?.htmlFor;
      if (!block || !id) return made("li", {}, message);
      this.mark(block, id, message);
      return made("li", {}, made("a", { href: `#${id}` }, message));
    });
    const summary = made(
      "section",
      { class: "quill-summary", role: "alert", tabindex: "-1", "aria-labelledby": "summary-heading" },
      made("h2", { id: "summary-heading" }, heading),
      made("ul", {}, ...lines),
      made("p", {}, advice),
    );
    this.form.before(summary);
    document.title = title;
    summary.focus();
  }

  private mark(block: HTMLElement, id: string, message: string): void {
    const known = block.querySelector(".quill-problem");
    if (known) {
      known.append(` ${message}`);
      return;
    }
    block.classList.add("quill-wrong");
    block.append(made("p", { class: "quill-problem", id: `${id}-problem` }, message));
    const control = document.getElementById(id);
    control?.setAttribute("aria-invalid", "true");
    const described = (control?.getAttribute("aria-describedby") ?? "").split(" ").filter((each) => each !== "");
    if (!described.includes(`${id}-problem`)) described.push(`${id}-problem`);
    control?.setAttribute("aria-describedby", described.join(" "));
  }
}

function begin(): void {
  for (const form of document.querySelectorAll<HTMLFormElement>("form[data-check]"))
    new JudgedForm(form, form.dataset.check ?? "");
}

begin();
// What is shown in place of a page begins anew (see `in-place.ts`).
document.addEventListener("quill:shown", begin);

// A form that went through a sign-in goes back to where it was refused.
for (const form of document.querySelectorAll<HTMLFormElement>("form[data-resend]")) form.requestSubmit();
