import { render, screen, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { beforeEach, expect, test, vi } from "vitest";
import { wrong } from "./axe";

const act = vi.fn();
const row = (number: number, title: string, more: object = {}) => ({
  number,
  at: "2026-11-28T09:30:00Z",
  kind: "reading",
  title,
  detail: "11.80 V",
  evidence: true,
  doubted: false,
  judged: null,
  pictures: [] as number[],
  ...more,
});
let ledger = [row(1, "Complaint taken", { kind: "intake", evidence: false, detail: "" })];
const pictures = [{ number: 5, text: "green pin", width: 4, height: 3 }];
vi.mock("../api/job", () => ({
  useJob: () => ({ view: { id: 7, ledger, pictures }, act, busy: "" }),
}));
Element.prototype.scrollTo = vi.fn() as never;

const { Ledger } = await import("../shell/Ledger");

beforeEach(() => {
  act.mockReset();
  act.mockResolvedValue({});
  ledger = ledger.slice(0, 1);
});

test("what is kept from now on is told, and one press doubts it", async () => {
  const { rerender, container } = render(<Ledger />);
  // What stood there before is no news.
  expect(screen.queryByRole("button", { name: "Doubt it" })).toBeNull();
  ledger = [...ledger, row(2, "M7.1 to BAT.-")];
  rerender(<Ledger />);
  expect(await wrong(container)).toEqual([]);
  await userEvent.click(await screen.findByRole("button", { name: "Doubt it" }));
  expect(act).toHaveBeenCalledWith("doubt", { number: 2, doubted: true });
  expect(screen.queryByRole("button", { name: "Doubt it" })).toBeNull();
});

test("a remark is kept without a word, for there is nothing to doubt", () => {
  const { rerender } = render(<Ledger />);
  ledger = [...ledger, row(2, "Note", { kind: "note", evidence: false })];
  rerender(<Ledger />);
  expect(screen.queryByRole("button", { name: "Doubt it" })).toBeNull();
});

test("opened it has every entry, and what is doubted can be believed again", async () => {
  const judged = { verdict: "bad", expected: "12.4 V", why: "too low" };
  ledger = [
    ...ledger,
    row(2, "Key set", { kind: "state", evidence: false }),
    row(3, "M7.1 to BAT.-", { judged }),
    row(4, "M7.2 to BAT.-", { doubted: true }),
  ];
  const { container } = render(<Ledger />);
  // The ribbon leaves out what was only set.
  expect(container.querySelectorAll("[data-entry]").length).toBe(3);
  await userEvent.click(screen.getByRole("button", { name: /Ledger/ }));
  const rows = within(screen.getByRole("table")).getAllByRole("row");
  expect(rows.length).toBe(4);
  expect(rows[2]?.textContent).toContain("expected 12.4 V. too low");
  await userEvent.click(screen.getByRole("button", { name: "believe again" }));
  expect(act).toHaveBeenCalledWith("doubt", { number: 4, doubted: false });
});

test("a note wants words, and is gone from the field once it is kept", async () => {
  render(<Ledger />);
  await userEvent.click(screen.getByRole("button", { name: /Ledger/ }));
  await userEvent.click(screen.getByRole("button", { name: "Note" }));
  expect(act).not.toHaveBeenCalled();
  const field = screen.getByRole("textbox", { name: "note" }) as HTMLInputElement;
  await userEvent.type(field, "customer calls at four{Enter}");
  expect(act).toHaveBeenCalledWith("note", { text: "customer calls at four" });
  expect(field.value).toBe("");
});

test("a picture is sent for its entry, stands beside it, and a refusal is told", async () => {
  const sent = vi.spyOn(globalThis, "fetch");
  sent.mockResolvedValueOnce(Response.json({ number: 2 }));
  ledger = [row(1, "M7.1 to BAT.-", { pictures: [5] })];
  const { container } = render(<Ledger />);
  await userEvent.click(screen.getByRole("button", { name: /Ledger/ }));
  expect(screen.getByRole("img", { name: "green pin" })).toBeTruthy();
  expect(await wrong(container)).toEqual([]);
  const field = container.querySelector("input[aria-label='picture of entry 1']");
  const file = new File(["x"], "a.jpg", { type: "image/jpeg" });
  await userEvent.upload(field as HTMLInputElement, file);
  expect(sent.mock.calls[0]?.[0]).toBe("/api/jobs/7/pictures?text=&of=1");
  const refusal = { title: "This cannot be taken", detail: "it is no picture", status: 422 };
  sent.mockResolvedValueOnce(Response.json(refusal, { status: 422 }));
  await userEvent.upload(field as HTMLInputElement, file);
  expect((await screen.findByRole("alert")).textContent).toContain("it is no picture");
  sent.mockRestore();
});
