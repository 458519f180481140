import createClient from "openapi-fetch";
import type { components, paths } from "./generated";
import { unique } from "./unique";

/** A job on the screen: what follows from its ledger, and the fixed lists of its vehicle. */
export type View = components["schemas"]["View"] & components["schemas"]["Lists"];
export type Lists = components["schemas"]["Lists"];
export type Kept = components["schemas"]["Kept"];
export type Jobs = components["schemas"]["Jobs"];
export type Check = components["schemas"]["Check"];
export type Sheet = components["schemas"]["Sheet"];
export type SheetNode = components["schemas"]["Node"];
export type SheetLine = components["schemas"]["Line"];
export type Subject = components["schemas"]["Subject"];
export type Face = components["schemas"]["Face"];
export type FaceCavity = components["schemas"]["FaceCavity"];
export type Flag = components["schemas"]["Flag"];
export type Row = components["schemas"]["Row"];
export type Intake = components["schemas"]["Intake"];
export type Live = components["schemas"]["Live"];
export type Progress = components["schemas"]["Progress"];
export type BusTree = components["schemas"]["BusTree"];
export type Limb = components["schemas"]["Limb"];
export type BusWatch = components["schemas"]["BusWatch"];
export type RollView = components["schemas"]["RollView"];
export type Pasted = components["schemas"]["Pasted"];
export type CourseNow = components["schemas"]["CourseNow"];
export type OperatingState = components["schemas"]["OperatingState"];
export type Strength = components["schemas"]["Strength"];
export type Instrument = components["schemas"]["Instrument"];
export type Sight = components["schemas"]["Sight"];
export type Recent = components["schemas"]["Recent"];
export type Gate = components["schemas"]["Gate"];
export type Coverage = components["schemas"]["Coverage"];
export type Proof = components["schemas"]["Proof"];
export type SupplyRow = components["schemas"]["SupplyRow"];
export type Group = components["schemas"]["Group"];
export type CodeMark = components["schemas"]["CodeMark"];
export type Fit = components["schemas"]["Fit"];
export type Workshop = components["schemas"]["Workshop"];
export type Verdict = components["schemas"]["Verdict"];
export type Signal = components["schemas"]["SignalRow"];
export type Value = components["schemas"]["LiveValue"];
export type Chain = components["schemas"]["Chain"];
export type ServiceChart = components["schemas"]["ServiceChart"];

/** Which window this is: what it drives is given back once it is gone, whoever else looks on. */
export const WINDOW = { "x-window": unique() };

export const api = createClient<paths>({ baseUrl: window.location.origin, headers: WINDOW });

/** Something refused, in words, with the fields it is about by their place in what was sent. */
export class Refused extends Error {
  readonly fields: Record<string, string>;
  constructor(problem: unknown) {
    super(trouble(problem));
    const errors = (problem as Partial<components["schemas"]["Problem"]> | null)?.errors ?? [];
    this.fields = Object.fromEntries(errors.map((e) => [e.pointer, e.detail]));
  }
}

/** The words of a failed request: what happened and what to do. */
export function trouble(error: unknown): string {
  if (error && typeof error === "object" && "detail" in error) {
    return String((error as { detail: unknown }).detail);
  }
  if (typeof error === "string" && error) return error;
  return "The program does not answer. Nothing entered so far is lost; start it again and reload.";
}
