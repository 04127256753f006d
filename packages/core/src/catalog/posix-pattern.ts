/**
 * Advanced regular expressions of PostgreSQL (PostgreSQL documentation, 9.7.3) and LIKE's patterns (9.7.1), in the words of RE2, which ECMAScript
 * with its flag `u` reads alike. What comes out matches whatever PostgreSQL's own would match, in any locale: where the two may differ by
 * letters beyond ASCII it takes more. Null where that can't be said: back references, lookahead, word boundaries, collating elements,
 * embedded options.
 */

/** Any text at all: `.` of PostgreSQL matches line ends, too. */
const anything = "[\\s\\S]*";
const anyCharacter = "[\\s\\S]";

/** What may match, in any locale, and what surely does: what is not to be matched must not be said to be more than that. */
interface Characters {
  readonly most: string;
  readonly least: string;
}

const letters: Characters = { most: "\\p{L}\\p{M}\\p{N}\\p{So}", least: "A-Za-z" };
const alphanumerics: Characters = { most: letters.most, least: "A-Za-z0-9" };
const blanks: Characters = { most: "\\s\\v\u0085\\p{Z}", least: "\\t\\n\\v\\f\\r " };
const digits: Characters = { most: "\\p{Nd}", least: "0-9" };
const words: Characters = { most: `${letters.most}_`, least: "A-Za-z0-9_" };

/** Classes by name (9.7.3.2); those that differ by more than letters are left out. */
const named: Readonly<Record<string, Characters>> = {
  alpha: letters,
  alnum: alphanumerics,
  digit: digits,
  space: blanks,
  xdigit: { most: "0-9A-Fa-f\uff10-\uff19\uff21-\uff26\uff41-\uff46", least: "0-9A-Fa-f" },
  upper: { most: letters.most, least: "A-Z" },
  lower: { most: letters.most, least: "a-z" },
};
const shorthands: Readonly<Record<string, Characters>> = { d: digits, s: blanks, w: words };
const controls: Readonly<Record<string, string>> = { t: "\t", n: "\n", r: "\r", f: "\f", v: "\v" };

/** That a pattern can't be said in RE2's words. */
class Unsaid extends Error {}
const give = (): never => {
  throw new Unsaid();
};

const escaped = (character: string): string => character.replace(/[\\^$.*+?()[\]{}|/-]/, "\\$&");
/** Outside of brackets a hyphen stands for itself, and may not be escaped. */
const literalOf = (character: string): string => (character === "-" ? "-" : escaped(character));

/** A character in either case; in Turkish locales `i` has others. */
function bothCases(character: string): readonly string[] {
  if (character > "\u007f") give();
  if (/i/i.test(character)) return ["i", "I", "\u0130", "\u0131"];
  // The sign of kelvin becomes a `k`.
  if (/k/i.test(character)) return ["k", "K", "\u212a"];
  return [...new Set([character.toLowerCase(), character.toUpperCase()])];
}

/** A range of ASCII letters in either case. */
function rangeInBothCases(from: string, to: string): string {
  const isOf = (letters: RegExp): boolean => letters.test(from) && letters.test(to);
  if (!isOf(/[a-z]/) && !isOf(/[A-Z]/)) give();
  return `${from.toLowerCase()}-${to.toLowerCase()}${from.toUpperCase()}-${to.toUpperCase()}\u0130\u0131`;
}

/** Reads one advanced regular expression. */
class Reader {
  private at = 0;
  private readonly characters: readonly string[];
  constructor(
    source: string,
    private readonly ignoresCase: boolean,
  ) {
    this.characters = [...source];
  }

  private get next(): string | undefined {
    return this.characters[this.at];
  }
  private take(): string {
    return this.characters[this.at++] ?? give();
  }
  private takeIf(text: string): boolean {
    const is = [...text].every((character, index) => this.characters[this.at + index] === character);
    if (is) this.at += [...text].length;
    return is;
  }

  /** The whole: each of its branches matches a whole text, where it isn't anchored with anything around it. */
  whole(): string {
    const branches: string[] = [];
    do {
      const before = this.takeIf("^") ? "" : anything;
      const branch = this.branch(0);
      branches.push(before + branch + (this.takeIf("$") ? "" : anything));
    } while (this.takeIf("|"));
    if (this.next !== undefined) give();
    return branches.length === 1 ? (branches[0] as string) : `(?:${branches.join("|")})`;
  }

  /** The one character of each branch, which is not to be anywhere, or not at the start or the end. */
  excluded(): readonly Excluded[] {
    const branches: Excluded[] = [];
    do {
      const isAtStart = this.takeIf("^");
      const others = this.others();
      this.takeIf("+");
      const isAtEnd = this.takeIf("$");
      if (isAtStart && isAtEnd) give();
      branches.push({ at: isAtStart ? "start" : isAtEnd ? "end" : "anywhere", others });
    } while (this.takeIf("|"));
    if (this.next !== undefined) give();
    return branches;
  }

  /** What is not the one character that stands here, between brackets. */
  private others(): string {
    if (this.takeIf("[")) return this.between(true);
    const character = this.take();
    if (/[.^$*+?{(|]/.test(character)) give();
    if (character !== "\\") return `^${escaped(character)}`;
    const named = this.take();
    const shorthand = shorthands[named.toLowerCase()];
    if (shorthand) return /[dsw]/.test(named) ? `^${shorthand.least}` : shorthand.most;
    return `^${escaped(this.escapedCharacter(named))}`;
  }

  private branch(depth: number): string {
    if (depth > 20) give();
    let said = "";
    while (this.next !== undefined && !["|", ")", "$"].includes(this.next)) said += this.piece(depth);
    return said;
  }

  private piece(depth: number): string {
    const atom = this.atom(depth);
    if (this.next === undefined || !/[*+?{]/.test(this.next)) return atom;
    const by = this.quantifier();
    // Whether it takes as much or as little as it can makes no difference to whether a whole text matches.
    this.takeIf("?");
    if (this.next !== undefined && /[*+?{]/.test(this.next)) give();
    return atom + by;
  }

  private quantifier(): string {
    const sign = this.take();
    if (sign !== "{") return sign;
    let bounds = "";
    while (this.next !== "}") bounds += this.take();
    this.take();
    return /^\d{1,3}(,\d{0,3})?$/.test(bounds) ? `{${bounds}}` : give();
  }

  private atom(depth: number): string {
    const character = this.take();
    switch (character) {
      case "(": {
        if (this.next === "?" && !this.takeIf("?:")) give();
        const branches: string[] = [];
        do branches.push(this.branch(depth + 1));
        while (this.takeIf("|"));
        return this.takeIf(")") ? `(?:${branches.join("|")})` : give();
      }
      case "[":
        return this.bracket();
      case ".":
        return anyCharacter;
      case "\\":
        return this.escape();
      case "^":
      case "*":
      case "+":
      case "?":
      case "{":
        return give();
      default:
        return this.literal(character);
    }
  }

  private literal(character: string): string {
    if (!this.ignoresCase || !/\p{L}/u.test(character)) return literalOf(character);
    return `[${bothCases(character).join("")}]`;
  }

  private escape(): string {
    const character = this.take();
    const shorthand = shorthands[character.toLowerCase()];
    if (shorthand && /[dsw]/.test(character)) return `[${shorthand.most}]`;
    if (shorthand) return `[^${shorthand.least}]`;
    return this.literal(this.escapedCharacter(character));
  }

  private escapedCharacter(character: string): string {
    return controls[character] ?? (/[A-Za-z0-9]/.test(character) ? give() : character);
  }

  private bracket(): string {
    return `[${this.between(false)}]`;
  }

  /** What stands between brackets, or what stands there for all other characters. */
  private between(isOfOthers: boolean): string {
    const isNegated = this.takeIf("^") !== isOfOthers;
    const side = isNegated ? "least" : "most";
    let said = "";
    // A bracket that closes stands for itself at the first place.
    for (let first = true; first || this.next !== "]"; first = false) {
      const one = this.bracketItem();
      if (typeof one !== "string") {
        said += one[side];
        continue;
      }
      const isRange = this.next === "-" && this.characters[this.at + 1] !== "]";
      if (isRange) this.take();
      const last = isRange ? this.bracketItem() : one;
      if (typeof last !== "string" || last < one) return give();
      said += this.inBracket(one, last, isNegated);
    }
    this.take();
    return `${isNegated ? "^" : ""}${said}`;
  }

  private inBracket(one: string, last: string, isNegated: boolean): string {
    const isOne = one === last;
    const hasCase = isOne ? /\p{L}/u.test(one) : !/^[0-9]{2}$/.test(one + last);
    if (!this.ignoresCase || !hasCase) return isOne ? escaped(one) : `${escaped(one)}-${escaped(last)}`;
    if (isNegated) return give();
    return isOne ? bothCases(one).join("") : rangeInBothCases(one, last);
  }

  /** One character, or a class of them. */
  private bracketItem(): string | Characters {
    const character = this.take();
    if (character === "[") {
      if (this.next === "." || this.next === "=") return give();
      if (!this.takeIf(":")) return character;
      let name = "";
      while (this.next !== ":") name += this.take();
      if (!this.takeIf(":]")) give();
      const of = named[name] ?? give();
      // Without regard to case, `upper` and `lower` take both.
      return this.ignoresCase && /upper|lower/.test(name) ? letters : of;
    }
    if (character !== "\\") return character;
    const next = this.take();
    return shorthands[next] ?? this.escapedCharacter(next);
  }
}

const said = (say: () => string): string | null => {
  try {
    return say();
  } catch (error) {
    if (error instanceof Unsaid) return null;
    throw error;
  }
};

/** Longer ones than a page file's own are left to PostgreSQL. */
const longest = 1_000;

/**
 * A pattern of RE2 for the whole text that takes whatever `text ~ source` takes.
 *
 * @param ignoresCase `~*`
 */
export const fromRegularExpression = (source: string, ignoresCase: boolean): string | null =>
  source.length > longest || /^\*\*\*|^\(\?[a-z]+\)/.test(source)
    ? null
    : said(() => new Reader(source, ignoresCase).whole());

const endsInEscape = (source: string): boolean => /(?<!\\)(\\\\)*\\$/.test(source);

/** What stands in a pattern of LIKE, with the usual escape character: its signs, and characters that stand for themselves. */
const ofLike = (source: string): readonly { readonly sign: "%" | "_" | null; readonly character: string }[] =>
  [...source.matchAll(/\\?[\s\S]/gu)].map(([found]) => ({
    sign: found === "%" || found === "_" ? found : null,
    character: [...found].at(-1) ?? "",
  }));

/**
 * A pattern of RE2 for the whole text that takes whatever `text LIKE source` takes.
 *
 * @param ignoresCase `ILIKE`
 */
export function fromLike(source: string, ignoresCase: boolean): string | null {
  if (source.length > longest || endsInEscape(source)) return null;
  return said(() =>
    ofLike(source)
      .map(({ sign, character }) => {
        if (sign === "%") return anything;
        // In small letters some are two characters.
        if (sign === "_") return ignoresCase ? give() : anyCharacter;
        return ignoresCase && /\p{L}/u.test(character) ? `[${bothCases(character).join("")}]` : literalOf(character);
      })
      .join(""),
  );
}

/** Patterns of RE2 for whole texts that start with a text, and that contain one. */
export const startingWith = (text: string): string => [...text].map(literalOf).join("") + anything;
export const containing = (text: string): string => anything + startingWith(text);

/** Texts without one character, at a place or anywhere. */
interface Excluded {
  readonly at: "start" | "end" | "anywhere";
  /** All characters but those that are surely excluded, as what stands between brackets. */
  readonly others: string;
}

/** Where one character is excluded, or several anywhere, at the start and at the end. */
function excluding(branches: readonly Excluded[]): string | null {
  const [first, ...more] = branches;
  if (!first) return null;
  const taken = `[${first.others}]`;
  if (more.length === 0) {
    if (first.at === "anywhere") return `${taken}*`;
    return `(?:${first.at === "start" ? taken + anything : anything + taken})?`;
  }
  if (branches.some(({ others }) => !others.startsWith("^"))) return null;
  const but = (...places: readonly Excluded["at"][]): string =>
    `[^${branches.flatMap(({ at, others }) => (at === "anywhere" || places.includes(at) ? [others.slice(1)] : [])).join("")}]`;
  const inside = branches.some(({ at }) => at === "anywhere") ? `${but()}*` : anything;
  return `(?:${but("start", "end")}|${but("start")}${inside}${but("end")})?`;
}

/** A pattern of RE2 for the whole text that takes whatever `text !~ source` takes: of sources that each name one character, such as `\\s` or `^\\s|\\s$`. */
export const excludingRegularExpression = (source: string): string | null =>
  source.length > longest || /^\*\*\*|^\(\?[a-z]+\)/.test(source)
    ? null
    : said(() => excluding(new Reader(source, false).excluded()) ?? give());

/** The same of `text NOT LIKE source`: `%@%`, `-%`, `%-`. */
export function excludingLike(source: string): string | null {
  if (endsInEscape(source)) return null;
  const signs = ofLike(source);
  const plain = signs.filter(({ sign }) => sign === null);
  const [one, ...others] = plain;
  const [start, end] = [signs[0]?.sign === "%", signs.at(-1)?.sign === "%"];
  const isOnly = signs.length === 1 + Number(start) + Number(end);
  if (!one || others.length > 0 || !isOnly || !(start || end)) return null;
  return excluding([{ at: start && end ? "anywhere" : end ? "start" : "end", others: `^${escaped(one.character)}` }]);
}
