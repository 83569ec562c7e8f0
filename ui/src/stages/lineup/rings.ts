// The rings of a lens, what is read off them, and what is said of where they stand.
import { said, type LengthUnit } from "../../drawing/lengths";

export type Ring = "focus" | "iris" | "zoom";

export const rings: Record<Ring, string> = { focus: "Focus", iris: "Iris", zoom: "Zoom" };

/** valueOf is what stands at a mark, with its unit. */
export function valueOf(ring: Ring, v: number, unit: LengthUnit): string {
  if (ring === "focus") return said(v, unit);
  const rounded = +v.toPrecision(3);
  return ring === "iris" ? `T ${rounded}` : `${rounded} mm`;
}

/** standsAt says what a ring that is turned to a place of its scale does. */
export function standsAt(
  ring: Ring,
  at: { value: number; near_m?: number; far_m?: number },
  unit: LengthUnit,
): string {
  if (ring === "iris") return `The iris stands at T ${at.value.toFixed(1)}.`;
  if (ring === "zoom") return `The zoom stands at ${at.value.toFixed(0)} mm.`;
  const sharp = `sharp from ${said(at.near_m, unit)} to ${said(at.far_m, unit)}`;
  return `Focused at ${said(at.value, unit)}: ${sharp}.`;
}
