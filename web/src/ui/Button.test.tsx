import { render, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { expect, test, vi } from "vitest";
import { wrong } from "../test/axe";
import { Button } from "./Button";

test("a button acts on a press and on Enter", async () => {
  const act = vi.fn();
  render(<Button onClick={act}>Drive</Button>);
  await userEvent.click(screen.getByRole("button", { name: "Drive" }));
  await userEvent.keyboard("{Enter}");
  expect(act).toHaveBeenCalledTimes(2);
});

test("one that cannot act says why when it is pressed, and does nothing", async () => {
  const act = vi.fn();
  render(
    <Button why="Name the points first." onClick={act}>
      What if?
    </Button>,
  );
  await userEvent.click(screen.getByRole("button", { name: "What if?" }));
  expect(act).not.toHaveBeenCalled();
  expect((await screen.findByRole("tooltip")).textContent).toBe("Name the points first.");
  expect(await wrong()).toEqual([]);
});

test("one that cannot act is reached by the keyboard and then says why", async () => {
  render(<Button why="Nothing is chosen.">Take</Button>);
  await userEvent.tab();
  expect(document.activeElement).toBe(screen.getByRole("button", { name: "Take" }));
  expect((await screen.findByRole("tooltip")).textContent).toBe("Nothing is chosen.");
});
