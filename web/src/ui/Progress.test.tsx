import { render, screen } from "@testing-library/react";
import { expect, test } from "vitest";
import { wrong } from "../test/axe";
import { Progress } from "./Progress";

test("says how far it is, and nothing where nobody knows", async () => {
  const { container, rerender } = render(<Progress label="asking" done={3} of={12} />);
  const bar = screen.getByRole("progressbar", { name: "asking" });
  expect(bar.getAttribute("aria-valuenow")).toBe("25");
  expect((bar.firstChild as HTMLElement).style.width).toBe("25%");
  rerender(<Progress label="asking" done={null} />);
  expect(screen.getByRole("progressbar").getAttribute("aria-valuenow")).toBeNull();
  rerender(<Progress label="asking" done={5} of={0} />);
  expect(screen.getByRole("progressbar").getAttribute("aria-valuenow")).toBeNull();
  expect(await wrong(container)).toEqual([]);
});
