// Distances as people say them: metres, or feet and inches to an eighth.
export type LengthUnit = "m" | "ft";

export function said(m: number | undefined, unit: LengthUnit): string {
  if (m === undefined || !Number.isFinite(m) || m > 9998) return "∞";
  if (unit === "m") return `${m < 10 ? m.toFixed(2) : m.toFixed(1)} m`;
  // Beyond 20 feet nobody reads eighths.
  const eighths = m > 6 ? Math.round(m / 0.0254) * 8 : Math.round((m / 0.0254) * 8);
  const feet = Math.floor(eighths / 96),
    rest = eighths - feet * 96,
    inches = Math.floor(rest / 8),
    part = rest % 8;
  const half =
    part === 0
      ? ""
      : part % 4 === 0
        ? "½"
        : part % 2 === 0
          ? part === 2
            ? "¼"
            : "¾"
          : ` ${part}/8`;
  return `${feet ? `${feet}′ ` : ""}${inches}${half}″`;
}
