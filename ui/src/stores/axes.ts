import type { Axis, MachineState } from "../api/client";
import { symbols } from "../api/rules";

// How an axis is written: its unit, its decimals, its name apart from its machine's.
export const unit = (a: Axis): string => symbols[a.unit];
export const spaced = (a: Axis): string => (a.unit === "deg" ? unit(a) : ` ${unit(a)}`);
export const isFocus = (a: Axis): boolean => a.kind === "focus";
export const places = (a: Axis): number => (a.unit === "deg" ? 2 : 1);
export const finest = (a: Axis): number => (a.unit === "deg" ? 3 : 2);
export const own = (id: string): string => id.slice(id.indexOf("/") + 1);
export const machineOf = (id: string): string =>
  id.includes("/") ? id.slice(0, id.indexOf("/")) : "";
// A number with so many decimals; nothing is ever minus zero.
export const fixed = (v: number, n: number): string => v.toFixed(n).replace(/^-(0(\.0*)?)$/, "$1");
// Whether every axis of a machine is homed, as it says; not where it says nothing.
export const allHomed = (s: MachineState | undefined): boolean => {
  const all = Object.values(s?.axes ?? {});
  return all.length > 0 && all.every((a) => a.homed);
};
// Where the feedback sees the axes of a machine.
export const standing = (s: MachineState | undefined): Record<string, number> =>
  Object.fromEntries(Object.entries(s?.axes ?? {}).map(([id, a]) => [id, a.pos]));
