import { render, screen } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import { AimLine } from "./AimLine";
import { aimed, Stages } from "./Stages";

const speed = {
  signal: "speed",
  name: "Wheel speed",
  unit: "km/h",
  least: 14,
  most: 60,
  word: "",
};
const brake = {
  signal: "brake",
  name: "Park brake",
  unit: "",
  least: null,
  most: 2,
  word: "pulled",
};

describe("a value that has to be in a band", () => {
  it("shows itself, its band and whether it lacks", () => {
    const { container } = render(
      <AimLine aim={speed} said={{ value: 8.25, word: "" }} lacks={true} />,
    );
    expect(screen.getByText("8.25")).toBeTruthy();
    expect(screen.getByText("14 to 60 km/h")).toBeTruthy();
    expect(container.querySelector("[data-lacks='true']")).toBeTruthy();
  });

  it("is told by its name where it has one, and by a dash while nobody has read it", () => {
    const { rerender } = render(
      <AimLine aim={brake} said={{ value: 0.4, word: "pulled" }} lacks={false} />,
    );
    expect(screen.getAllByText("pulled").length).toBe(2);
    rerender(<AimLine aim={brake} lacks={true} />);
    expect(screen.getByText("–")).toBeTruthy();
    expect(aimed([speed, brake])).toBe("Wheel speed: 14 to 60 km/h, Park brake: pulled");
  });
});

describe("the stages of a procedure", () => {
  const stage = (name: string) => ({ name, hint: "", aims: [speed], hold_s: 4, within_s: 90 });
  const of = {
    id: "drive",
    name: "Drive",
    teaches: "teeth",
    course: null,
    throughout: [],
    stages: [stage("Warm it"), stage("Let it roll")],
  };

  it("say what each asks for before it is begun, and mark the one it is in afterwards", () => {
    const { container, rerender } = render(<Stages of={of} />);
    const asks = "Wheel speed: 14 to 60 km/h, for 4 s, within 90 s";
    expect(screen.getAllByText(asks).length).toBe(2);
    rerender(<Stages of={of} now={1} />);
    expect(screen.queryByText(asks)).toBeNull();
    expect(container.querySelector("[aria-current='step']")?.textContent).toContain("Let it roll");
  });
});
