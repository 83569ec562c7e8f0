import type { Axis, Edit, Key } from "../../api/client";
import { longestMove } from "../../api/rules";
import { own } from "../../stores/axes";
import { useScore } from "../../stores/score";
import { four, useShot } from "../../stores/shot";

// Keyframes on the clipboard are text, a line for each: axis, unit, frame, value and, where it
// has one, its shape as JSON, with tabs between (docs/formats.md).
const title = "keen arc keyframes 1";
const mostLines = 10_000;

interface Line {
  axis: string;
  unit: string;
  key: Key;
}

function writeKeys(lines: Line[]): string {
  const text = lines.map(({ axis, unit, key }) => {
    const { frame, value, ...bend } = key;
    return [
      axis,
      unit,
      frame,
      value,
      ...(Object.keys(bend).length > 0 ? [JSON.stringify(bend)] : []),
    ].join("\t");
  });
  return [title, ...text, ""].join("\n");
}

// Reads them; throws a sentence that names the line.
function readKeys(text: string): Line[] {
  const rows = text.split(/\r?\n/).filter((l) => l.trim() !== "");
  if (rows[0]?.trim() !== title)
    throw new Error("What is on the clipboard are no keyframes; copy some on a score first.");
  if (rows.length - 1 > mostLines)
    throw new Error(
      `${rows.length - 1} keyframes are on the clipboard; paste at most ${mostLines} at ` +
        "once, or take them from a file.",
    );
  return rows.slice(1).map((row, i) => {
    const [axis = "", unit = "", frame = "", value = "", bend] = row.split("\t");
    const f = Number(frame),
      v = Number(value);
    if (!axis || frame === "" || value === "" || !Number.isFinite(f) || !Number.isFinite(v))
      throw new Error(
        `Line ${i + 2} of what is on the clipboard is no keyframe: give axis, unit, frame ` +
          "and value.",
      );
    if (Math.abs(f) > longestMove)
      throw new Error(`Line ${i + 2}: frame ${frame} is beyond the longest move, ±${longestMove}.`);
    let more: object = {};
    try {
      if (bend) more = JSON.parse(bend) as object;
    } catch {
      throw new Error(`Line ${i + 2}: its shape is not JSON.`);
    }
    return { axis, unit, key: { ...more, frame: f, value: v } as Key };
  });
}

// Copies what is picked on the score (or the selected axis's keyframe at the playhead), and
// pastes it with its first frame at the playhead: on axes of the same name, or, where one axis
// was copied, on the selected one.
export function useClips() {
  const shot = useShot();
  const score = useScore();

  function chosen(): Line[] {
    const posts =
      score.picked.length > 0
        ? score.picked
        : [{ axis: shot.selected?.id ?? "", frame: shot.frame }];
    return posts.flatMap((p) => {
      const key = shot.view?.path.tracks
        .find((t) => t.axis === p.axis)
        ?.keys.find((k) => k.frame === p.frame);
      const a = shot.axes.find((x) => x.id === p.axis);
      return key && a ? [{ axis: p.axis, unit: a.unit, key }] : [];
    });
  }
  const typing = (): boolean =>
    document.activeElement instanceof HTMLInputElement ||
    document.activeElement instanceof HTMLTextAreaElement ||
    (window.getSelection()?.toString() ?? "") !== "";

  function onCopy(e: ClipboardEvent): void {
    if (typing() || !e.clipboardData) return;
    const lines = chosen();
    if (lines.length === 0) return;
    e.preventDefault();
    e.clipboardData.setData("text/plain", writeKeys(lines));
    const many = `${lines.length} ${lines.length === 1 ? "keyframe" : "keyframes"}`;
    if (e.type === "cut")
      void shot.edit(
        { op: "clear", moves: lines.map((l) => ({ axis: l.axis, frame: l.key.frame })) },
        `${many} cut; paste puts them at the playhead.`,
      );
    else shot.said = `${many} copied. Paste puts them at the playhead.`;
  }

  function target(line: Line, alone: boolean): Axis | string {
    const a = shot.selected;
    if (alone && a)
      return a.unit === line.unit
        ? a
        : `${a.name} is in ${word(a.unit)}; what was copied of ${own(line.axis)} is in ` +
            `${word(line.unit)}. Select an axis of the same unit.`;
    const same =
      shot.axes.find((x) => x.id === line.axis) ??
      (shot.axes.filter((x) => own(x.id) === own(line.axis)).length === 1
        ? shot.axes.find((x) => own(x.id) === own(line.axis))
        : undefined);
    if (!same)
      return (
        `This rig has no ${own(line.axis)}; it has ` +
        `${shot.axes.map((x) => own(x.id)).join(", ")}. Copy one axis alone to paste it on ` +
        "another."
      );
    return same.unit === line.unit
      ? same
      : `${same.name} is in ${word(same.unit)}, and was copied in ${word(line.unit)}.`;
  }

  function onPaste(e: ClipboardEvent): void {
    if (typing() || !shot.view || !e.clipboardData) return;
    const text = e.clipboardData.getData("text/plain");
    if (text === "") return;
    e.preventDefault();
    void (async () => put(readKeys(text)))().catch(
      (x: unknown) => (shot.trouble = x instanceof Error ? x.message : String(x)),
    );
  }
  async function put(lines: Line[]): Promise<void> {
    const alone = new Set(lines.map((l) => l.axis)).size === 1;
    const first = Math.min(...lines.map((l) => l.key.frame)),
      at = shot.frame;
    const tracks = new Map<string, Key[]>();
    for (const l of lines) {
      const a = target(l, alone);
      if (typeof a === "string") throw new Error(a);
      tracks.set(a.id, [
        ...(tracks.get(a.id) ?? []),
        { ...l.key, frame: l.key.frame - first + at },
      ]);
    }
    const edit: Edit = {
      op: "paste",
      tracks: [...tracks].map(([axis, keys]) => ({ axis, keys, kind: "smooth" as const })),
    };
    if (
      await shot.edit(
        edit,
        `${lines.length} ${lines.length === 1 ? "keyframe" : "keyframes"} put in at ${four(at)}.`,
      )
    )
      score.pick(
        [...tracks].flatMap(([axis, keys]) => keys.map((k) => ({ axis, frame: k.frame }))),
      );
  }
  return { onCopy, onPaste };
}

function word(unit: string): string {
  return unit === "deg" ? "degrees" : unit === "%" ? "per cent" : unit;
}
