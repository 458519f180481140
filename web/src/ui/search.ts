/** Something to choose. */
export interface Choice {
  id: string;
  /** What it is called. */
  text: string;
  /** What sort of thing it is, in a word. */
  sort?: string;
}

/** What follows the sort in an id as `wire:62`, or the id itself. */
const own = (id: string) => id.slice(id.indexOf(":") + 1).toLowerCase();

/** The choice whose id or name is exactly this. */
export function exact<C extends Choice>(choices: C[], typed: string): C | undefined {
  const is = typed.trim().toLowerCase();
  return is === ""
    ? undefined
    : (choices.find((c) => own(c.id) === is) ?? choices.find((c) => c.text.toLowerCase() === is));
}

/** Colours by their names, beside the codes that conductors carry (IEC 60757). */
const COLOURS: Record<string, string> = {
  black: "bk",
  brown: "bn",
  red: "rd",
  orange: "og",
  yellow: "ye",
  green: "gn",
  blue: "bu",
  violet: "vt",
  purple: "vt",
  grey: "gy",
  gray: "gy",
  white: "wh",
  pink: "pk",
  turquoise: "tq",
};

/** Whether a word is somewhere in a text, or the code of the colour that it names. */
function says(text: string, word: string): boolean {
  const code = COLOURS[word];
  return text.includes(word) || (code !== undefined && text.split(/[\s/,]+/).includes(code));
}

/** Best matches first: every word somewhere in sort, id or name; the id itself before anything else. */
export function matches<C extends Choice>(choices: C[], typed: string, most: number): C[] {
  const words = typed.toLowerCase().split(/\s+/).filter(Boolean);
  if (words.length === 0) return choices.slice(0, most);
  const rank = (c: C) => {
    const hay = `${c.sort ?? ""} ${c.id} ${c.text}`.toLowerCase();
    if (!words.every((w) => says(hay, w))) return null;
    if (own(c.id) === words.join(" ")) return 0;
    if (own(c.id).startsWith(words[0] ?? "")) return 1;
    return c.text.toLowerCase().startsWith(words[0] ?? "") ? 2 : 3;
  };
  return choices
    .flatMap((c) => {
      const of = rank(c);
      return of === null ? [] : [{ c, of }];
    })
    .sort((a, b) => a.of - b.of)
    .slice(0, most)
    .map(({ c }) => c);
}
