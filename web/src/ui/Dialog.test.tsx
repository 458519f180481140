import { render, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { useState } from "react";
import { expect, test } from "vitest";
import { wrong } from "../test/axe";
import { Button } from "./Button";
import { Dialog } from "./Dialog";
import { Field } from "./Field";

function Held() {
  const [open, setOpen] = useState(false);
  return (
    <Dialog title="Rates" open={open} setOpen={setOpen} trigger={<Button>open</Button>}>
      <Field heading="An hour of work" wrong="above nothing, please" defaultValue="-1" />
    </Dialog>
  );
}

test("a dialog holds the focus until Escape, and gives it back", async () => {
  render(<Held />);
  await userEvent.click(screen.getByRole("button", { name: "open" }));
  expect(screen.getByRole("dialog", { name: "Rates" })).toBeTruthy();
  expect(document.activeElement).toBe(screen.getByLabelText("An hour of work"));
  expect(await wrong()).toEqual([]);
  await userEvent.keyboard("{Escape}");
  expect(screen.queryByRole("dialog")).toBeNull();
  expect(document.activeElement).toBe(screen.getByRole("button", { name: "open" }));
});

test("what is wrong with a field is said of the field", async () => {
  render(<Field heading="Price" wrong="not a number" />);
  const field = screen.getByLabelText("Price");
  expect(field.getAttribute("aria-invalid")).toBe("true");
  const said = document.getElementById(field.getAttribute("aria-describedby") ?? "");
  expect(said?.textContent).toBe("not a number");
});
