import { render, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { useState } from "react";
import { expect, test, vi } from "vitest";
import { wrong } from "../test/axe";
import { Toast } from "./Toast";

function Held({ undo }: { undo: () => void }) {
  const [open, setOpen] = useState(true);
  return (
    <Toast open={open} close={() => setOpen(false)} act={{ text: "Doubt it", does: undo }}>
      Kept as entry 4
    </Toast>
  );
}

test("offers one thing to do, and is gone once it is done", async () => {
  const undo = vi.fn();
  const { container } = render(<Held undo={undo} />);
  expect(screen.getByText("Kept as entry 4")).toBeTruthy();
  expect(await wrong(container)).toEqual([]);
  await userEvent.click(screen.getByRole("button", { name: "Doubt it" }));
  expect(undo).toHaveBeenCalledOnce();
  expect(screen.queryByText("Kept as entry 4")).toBeNull();
});

test("goes by Escape", async () => {
  const undo = vi.fn();
  render(<Held undo={undo} />);
  screen.getByRole("button", { name: "Doubt it" }).focus();
  await userEvent.keyboard("{Escape}");
  expect(screen.queryByText("Kept as entry 4")).toBeNull();
  expect(undo).not.toHaveBeenCalled();
});
