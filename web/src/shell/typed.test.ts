import { afterEach, expect, test } from "vitest";
import { switchLetters, typedIn } from "./typed";

afterEach(() => {
  localStorage.clear();
  document.body.innerHTML = "";
});

function pressed(html: string, more: KeyboardEventInit = {}): boolean {
  document.body.innerHTML = html;
  const target = document.body.firstElementChild ?? document.body;
  let typed = false;
  const hear = (e: KeyboardEvent) => {
    typed = typedIn(e);
  };
  window.addEventListener("keydown", hear, { once: true });
  target.dispatchEvent(new KeyboardEvent("keydown", { key: "s", bubbles: true, ...more }));
  return typed;
}

test("a letter acts outside of fields and lists only", () => {
  expect(pressed("<main></main>")).toBe(false);
  for (const field of ["<input>", "<textarea></textarea>", '<div role="listbox"></div>']) {
    expect(pressed(field), field).toBe(true);
  }
});

test("with a modifier it belongs to the browser", () => {
  expect(pressed("<main></main>", { ctrlKey: true })).toBe(true);
});

test("letters can be switched off and on again", () => {
  switchLetters(false);
  expect(pressed("<main></main>")).toBe(true);
  switchLetters(true);
  expect(pressed("<main></main>")).toBe(false);
});
