import type { ElkNode } from "elkjs/lib/elk-api";
import type { Sheet, SheetNode } from "../api/client";
import { elk } from "./elk";

export interface Point {
  x: number;
  y: number;
}
export interface PlacedNode {
  node: SheetNode;
  x: number;
  y: number;
  /** The symbol without its words. */
  width: number;
  height: number;
  /** Where the words start. */
  textX: number;
  pins: Record<string, Point>;
}
export interface PlacedLine {
  id: string;
  points: Point[];
  label: Point;
}
export interface Placed {
  /** How far words and labels reach out at the left and right of the drawing. */
  out: { left: number; right: number };
  width: number;
  height: number;
  nodes: PlacedNode[];
  lines: PlacedLine[];
}

interface Shape {
  width: number;
  height: number;
  text: number;
  /** Place of each pin, by id: across from the left, at the top or the bottom. */
  pins: Record<string, Point>;
}

const words = (node: SheetNode) =>
  Math.max(node.id.length + node.name.length * 0.95, node.note.length * 0.95) * 7.2 + 14;

function spread(ids: string[], width: number, y: number, into: Record<string, Point>) {
  ids.forEach((id, k) => {
    into[id] = { x: (width * (k + 0.5)) / ids.length, y };
  });
}

/** Size of a node's symbol and the places of its pins, as far apart as there is room. */
function shape(node: SheetNode, room: number): Shape {
  const top = node.pins.filter((p) => p.top).map((p) => p.id);
  const bottom = node.pins.filter((p) => !p.top).map((p) => p.id);
  const pins: Record<string, Point> = {};
  const place = (width: number, height: number, text: number): Shape => {
    spread(top, width, 0, pins);
    spread(bottom, width, height, pins);
    return { width, height, text, pins };
  };
  switch (node.kind) {
    case "rail":
      return place(240, 6, 0);
    case "splice":
      return place(28, 8, 0);
    case "fuse":
      return place(20, 44, words(node));
    case "motor":
    case "lamp":
      return place(58, 58, words(node));
    case "ground":
      return place(44, 66, 0);
    case "connector": {
      const cavities = [...new Set(node.pins.map((p) => p.no))];
      const width = Math.max(90, cavities.length * 170);
      for (const pin of node.pins) {
        const k = cavities.indexOf(pin.no);
        pins[pin.id] = { x: (width * (k + 0.5)) / cavities.length, y: pin.top ? 0 : 12 };
      }
      return { width, height: 12, text: words(node), pins };
    }
    case "relay": {
      const x: Record<string, number> = { "86": 34, "85": 34, "30": 132, "87": 132 };
      for (const pin of node.pins) {
        pins[pin.id] = { x: x[pin.no] ?? 70, y: pin.top ? 0 : 84 };
      }
      return { width: 166, height: 84, text: words(node), pins };
    }
    default:
      return place(
        Math.max(130, 56 * room * Math.max(top.length, bottom.length), 8.2 * node.name.length + 20),
        64,
        0,
      );
  }
}

/** Splices, rails and grounds: conductors arrive wherever it suits the drawing. */
const isJoint = (n: SheetNode) => ["rail", "splice", "ground"].includes(n.kind);

const ends = (sheet: Sheet, n: SheetNode) =>
  sheet.lines.flatMap((l) => [
    ...(l.to === n.id ? [{ port: `end ${l.id} ${n.id}`, top: true }] : []),
    ...(l.from === n.id ? [{ port: `end ${l.id} ${n.id}`, top: false }] : []),
  ]);

function port(sheet: Sheet, line: string, end: string) {
  const joint = sheet.nodes.some((n) => n.id === end && isJoint(n));
  return joint ? `end ${line} ${end}` : `pin ${end}`;
}

/** Draws a joint just as wide as the conductors that meet there. */
function joinUp(placed: PlacedNode, sheet: Sheet, lines: PlacedLine[]) {
  const id = placed.node.id;
  const met = lines.flatMap((l) => {
    const line = sheet.lines.find((x) => x.id === l.id);
    const at = line?.from === id ? l.points[0] : line?.to === id ? l.points.at(-1) : undefined;
    return at ? [at] : [];
  });
  const xs = met.map((p) => p.x);
  const [low, high] = [Math.min(...xs), Math.max(...xs)];
  const least = placed.node.kind === "ground" ? 44 : placed.node.kind === "rail" ? 200 : 16;
  const width = Math.max(high - low + 16, least);
  placed.x = (low + high) / 2 - width / 2;
  placed.width = width;
  placed.textX = placed.x + width + 8;
  for (const pin of Object.keys(placed.pins)) {
    placed.pins[pin] = {
      x: (low + high) / 2,
      y: placed.y + (placed.node.kind === "ground" ? 0 : 4),
    };
  }
}

export interface Box {
  x: number;
  y: number;
  w: number;
  h: number;
}

export const meet = (a: Box, b: Box) =>
  a.x < b.x + b.w && b.x < a.x + a.w && a.y < b.y + b.h && b.y < a.y + a.h;

/** Width of a conductor's label and its height, as drawn. */
export const LABEL = { perLetter: 7.6, height: 14 };

const spliceName = (node: SheetNode, x: number, y: number): Box => ({
  x,
  y: y - 6,
  w: (node.id.length + node.name.length) * 6.6,
  h: 18,
});

/** What conductors cover. */
export const strokes = (lines: PlacedLine[]): Box[] =>
  lines.flatMap((line) =>
    line.points.slice(1).map((b, k) => {
      const a = line.points[k] as Point;
      return {
        x: Math.min(a.x, b.x) - 3,
        y: Math.min(a.y, b.y) - 3,
        w: Math.abs(a.x - b.x) + 6,
        h: Math.abs(a.y - b.y) + 6,
      };
    }),
  );

/** Names of splices stand on the left where a conductor passes on the right. */
function nameSplices(nodes: PlacedNode[], lines: PlacedLine[]) {
  const drawn = strokes(lines);
  for (const placed of nodes) {
    if (placed.node.kind !== "splice") continue;
    const right = spliceName(placed.node, placed.textX, placed.y);
    const left = { ...right, x: placed.x - 8 - right.w };
    const over = (box: Box) => drawn.filter((d) => meet(d, box)).length;
    if (over(left) < over(right)) placed.textX = left.x;
  }
}

/** What a node covers: its symbol, its words, and the voltages beside its lower pins. */
export function covered({ node, x, y, width, height, textX, pins }: PlacedNode): Box[] {
  const boxes: Box[] = [{ x, y, w: width, h: node.kind === "ground" ? 60 : height }];
  if (["fuse", "motor", "lamp", "relay", "connector"].includes(node.kind))
    boxes.push({ x: textX, y: y + height / 2 - 16, w: words(node), h: 34 });
  if (node.kind === "splice") boxes.push(spliceName(node, textX, y));
  if (node.kind === "rail") boxes.push({ x, y: y - 20, w: 40 + node.name.length * 7, h: 26 });
  for (const pin of node.pins) {
    const at = pins[pin.id];
    if (!at || pin.top || !pin.id.includes(".")) continue;
    const right = at.x > x + width / 2 + 1;
    const drop = node.kind === "connector" ? 14 : 4;
    boxes.push({ x: right ? at.x + 6 : at.x - 58, y: at.y + drop, w: 52, h: 14 });
  }
  return boxes;
}

/** How far along a stretch a label may stand, the middle first. */
const ALONG = [
  0.5, 0.4, 0.6, 0.3, 0.7, 0.2, 0.8, 0.1, 0.9, 0.45, 0.55, 0.35, 0.65, 0.25, 0.75, 0.15, 0.85,
];

/** Where a label may stand: beside the upright stretches, the longest first, or above the level ones. */
function places(points: Point[], width: number): Box[] {
  const { height: h } = LABEL;
  const stretches = points
    .slice(1)
    .map((b, k) => ({ a: points[k] as Point, b }))
    .map(({ a, b }) => ({ a, b, upright: Math.abs(a.x - b.x) < 0.5 }))
    .map((s) => ({ ...s, length: Math.abs(s.a.x - s.b.x) + Math.abs(s.a.y - s.b.y) }))
    .sort((p, q) => Number(q.upright) - Number(p.upright) || q.length - p.length);
  return stretches.flatMap(({ a, b, upright, length }) => {
    if (upright) {
      if (length < h / 2) return [];
      return ALONG.flatMap((t) => {
        const y = a.y + t * (b.y - a.y) - h / 2;
        return [
          { x: a.x + 7, y, w: width, h },
          { x: a.x - 7 - width, y, w: width, h },
        ];
      });
    }
    if (length < width / 3) return [];
    return ALONG.filter((t) => t >= 0.2 && t <= 0.8).flatMap((t) => {
      const x = a.x + t * (b.x - a.x) - width / 2;
      return [
        { x, y: a.y - h - 5, w: width, h },
        { x, y: a.y + 5, w: width, h },
      ];
    });
  });
}

/**
 * Labels where none covers another, a symbol or a conductor; where there is no such place, the best. With
 * how many cover something.
 */
function label(lines: PlacedLine[], sheet: Sheet, nodes: PlacedNode[]): [Box[], number] {
  const fixed = [...nodes.flatMap(covered), ...strokes(lines)];
  const over = (box: Box, what: Box[]) => what.filter((t) => meet(t, box)).length;
  const options = lines.map((line) => {
    const of = sheet.lines.find((l) => l.id === line.id);
    const text = of ? `${of.id} ${of.colour} ${of.area_mm2}` : line.id;
    const all = places(line.points, text.length * LABEL.perLetter);
    return { line, all, free: all.filter((box) => over(box, fixed) === 0) };
  });
  // Those with the fewest places choose first.
  options.sort((a, b) => a.free.length - b.free.length);
  type Option = (typeof options)[number];
  const at = new Map<Option, Box>();
  /** Puts a label where it covers nothing; a label in the way moves on if it can, none of them twice. */
  const settle = (one: Option, moved: Set<Option>): boolean => {
    moved.add(one);
    const others = [...at].filter(([o]) => o !== one);
    const clear = one.free.find((box) => others.every(([, b]) => !meet(b, box)));
    if (clear) return Boolean(at.set(one, clear));
    for (const box of one.free) {
      const [inWay, ...more] = others.filter(([, b]) => meet(b, box));
      if (!inWay || more.length > 0 || moved.has(inWay[0])) continue;
      at.set(one, box);
      if (settle(inWay[0], moved)) return true;
      at.set(...inWay);
      at.delete(one);
    }
    return false;
  };
  let covering = 0;
  for (const one of options) {
    if (settle(one, new Set())) continue;
    covering += 1;
    const all = [...fixed, ...at.values()];
    const best = one.all.toSorted((a, b) => over(a, all) - over(b, all))[0];
    if (best) at.set(one, best);
  }
  for (const one of options) {
    const box = at.get(one);
    const first = one.line.points[0] ?? { x: 0, y: 0 };
    one.line.label = box ? { x: box.x, y: box.y + 11 } : { x: first.x + 8, y: first.y + 14 };
  }
  return [[...at.values()], covering];
}

/** How far things are moved apart, one try after the other, until every label has a place of its own. */
const ROOM = [1, 1.35, 1.8, 2.4, 3.2];

/** Places a sheet: supply at the top, ground at the bottom, lines at right angles. */
export async function layout(sheet: Sheet): Promise<Placed> {
  let best: { placed: Placed; covering: number } | undefined;
  for (const room of ROOM) {
    const tried = await attempt(sheet, room);
    if (!best || tried.covering < best.covering) best = tried;
    if (tried.covering === 0) break;
  }
  return (best as { placed: Placed }).placed;
}

async function attempt(sheet: Sheet, room: number) {
  const px = (usual: number) => String(Math.round(usual * room));
  const shapes = new Map(sheet.nodes.map((n) => [n.id, shape(n, room)]));
  const graph: ElkNode = {
    id: "sheet",
    layoutOptions: {
      "elk.algorithm": "layered",
      "elk.direction": "DOWN",
      "elk.edgeRouting": "ORTHOGONAL",
      "elk.spacing.nodeNode": px(48),
      "elk.layered.spacing.nodeNodeBetweenLayers": px(44),
      "elk.layered.spacing.edgeNodeBetweenLayers": px(16),
      "elk.spacing.edgeNode": px(30),
      "elk.spacing.edgeEdge": px(26),
      "elk.layered.nodePlacement.strategy": "NETWORK_SIMPLEX",
      "elk.layered.nodePlacement.favorStraightEdges": "true",
      "elk.layered.crossingMinimization.thoroughness": "30",
    },
    children: sheet.nodes.map((n) => {
      const s = shapes.get(n.id) as Shape;
      const joint = isJoint(n);
      return {
        id: n.id,
        width: joint ? Math.max(s.width, 96 * ends(sheet, n).length) : s.width + s.text,
        height: s.height,
        layoutOptions: {
          "elk.portConstraints": joint ? "FIXED_SIDE" : "FIXED_POS",
          ...(n.kind === "rail" && { "elk.layered.layering.layerConstraint": "FIRST" }),
          ...(n.kind === "ground" && { "elk.layered.layering.layerConstraint": "LAST" }),
        },
        ports: joint
          ? ends(sheet, n).map(({ port, top }) => ({
              id: port,
              width: 0,
              height: 0,
              layoutOptions: { "elk.port.side": top ? "NORTH" : "SOUTH" },
            }))
          : n.pins.map((p) => ({
              id: `pin ${p.id}`,
              width: 0,
              height: 0,
              x: s.pins[p.id]?.x ?? 0,
              y: s.pins[p.id]?.y ?? 0,
              layoutOptions: { "elk.port.side": p.top ? "NORTH" : "SOUTH" },
            })),
      };
    }),
    edges: sheet.lines.map((l) => ({
      id: l.id,
      sources: [port(sheet, l.id, l.from)],
      targets: [port(sheet, l.id, l.to)],
    })),
  };
  const done = await elk.layout(graph);
  const nodes = (done.children ?? []).map((child): PlacedNode => {
    const node = sheet.nodes.find((n) => n.id === child.id) as SheetNode;
    const s = shapes.get(child.id) as Shape;
    const [x, y] = [child.x ?? 0, child.y ?? 0];
    const pins = Object.fromEntries(
      Object.entries(s.pins).map(([id, p]) => [id, { x: x + p.x, y: y + p.y }]),
    );
    return { node, x, y, width: s.width, height: s.height, textX: x + s.width + 8, pins };
  });
  const lines = (done.edges ?? []).map((edge): PlacedLine => {
    const section = edge.sections?.[0];
    const points = section
      ? [section.startPoint, ...(section.bendPoints ?? []), section.endPoint]
      : [];
    return { id: edge.id, points, label: { x: 0, y: 0 } };
  });
  for (const placed of nodes) if (isJoint(placed.node)) joinUp(placed, sheet, lines);
  nameSplices(nodes, lines);
  const [taken, covering] = label(lines, sheet, nodes);
  const boxes = [...nodes.flatMap(covered), ...taken];
  const width = done.width ?? 0;
  const out = {
    left: Math.max(0, -Math.min(0, ...boxes.map((b) => b.x))),
    right: Math.max(0, Math.max(0, ...boxes.map((b) => b.x + b.w)) - width),
  };
  const placed: Placed = { out, width, height: done.height ?? 0, nodes, lines };
  return { placed, covering };
}
