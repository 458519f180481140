/** A name that nobody else gives. A page over plain HTTP from another computer has no `randomUUID`. */
export function unique(): string {
  if ("randomUUID" in crypto) return crypto.randomUUID();
  const bytes = (crypto as Crypto).getRandomValues(new Uint8Array(16));
  return [...bytes].map((b) => b.toString(16).padStart(2, "0")).join("");
}
