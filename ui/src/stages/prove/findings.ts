// What is found over a whole move, in sentences: what stops it from being sealed, what is worth
// knowing, what is fine.
import type { Proof, Remedy, ShotView } from "../../api/client";
import { four } from "../../stores/shot";

interface Finding {
  text: string;
  frame: number | null;
  remedies: Remedy[];
  kind: "stop" | "note" | "fine";
}

const found = (kind: Finding["kind"], text: string, frame: number | null): Finding => ({
  text,
  frame,
  remedies: [],
  kind,
});

/** Namer gives an axis its name. */
type Namer = (axis: string) => string;

const per = (share: number): string => `${Math.ceil(share * 100)}%`;
const notOver = (px: number, threshold: number): string =>
  px >= threshold ? " It would not stack." : "";

/** findingsOf lists them; proof is what was found of the move as it stands, once that is there. */
export function findingsOf(v: ShotView, p: Proof | null, at: number, name: Namer): Finding[] {
  if (v.empty) return [found("note", "There is no keyframe yet.", null)];
  const stops = v.analysis.sentences.map((text, i): Finding => ({
    text,
    frame: v.analysis.at[i] ?? null,
    remedies: i === 0 ? v.analysis.remedies : [],
    kind: "stop",
  }));
  const out = [...stops, ...knocks(v, name), ...focus(v, p)];
  if (stops.length > 0) return out;
  return [...out, ...shares(v, name), ...braking(p, name), ...riding(v, p, at)];
}

// The mount feels a knock where acceleration steps.
function knocks(v: ShotView, name: Namer): Finding[] {
  const all = v.analysis.report.axes.flatMap((a) =>
    a.jumps.filter((j) => j.order === 2).map((j) => ({ at: j.at, axis: a.axis })),
  );
  const cure = "Smooth has no such steps.";
  if (all.length > 12) {
    const text =
      `Acceleration steps at ${all.length} keyframes; the mount feels a knock at each. ` + cure;
    return [found("note", text, all[0]?.at ?? null)];
  }
  return all.map((j) => {
    const where = `${name(j.axis)}: acceleration steps at ${four(j.at)}`;
    return found("note", `${where}; the mount feels a knock. ${cure}`, j.at);
  });
}

function focus(v: ShotView, p: Proof | null): Finding[] {
  const subject = v.set.subject_name;
  const soft = (p?.soft ?? []).map((s) => {
    const frames = `${four(s.from)}${s.to > s.from ? `–${four(s.to)}` : ""}`;
    const away = `${s.depth_m.toFixed(2)} m away at ${four(s.worst)}`;
    const sharp = `${s.near_m.toFixed(2)} to ${s.far_m >= 9999 ? "∞" : s.far_m.toFixed(2)} m`;
    const blur = `its blur ${s.blur_px.toFixed(1)} px`;
    return found(
      "note",
      `${subject} is soft, ${frames}: ${away}, sharp from ${sharp}, ${blur}.`,
      s.worst,
    );
  });
  if (p?.soft.length === 0 && v.focus_scale.length > 0)
    soft.push(found("fine", `${subject} is sharp wherever it is in the picture.`, null));
  return soft;
}

function shares(v: ShotView, name: Namer): Finding[] {
  return [...v.analysis.report.axes]
    .sort((a, b) => b.share - a.share)
    .map((a) => {
      const where = a.share > 0 ? `, at ${four(Math.round(a.share_at))}` : "";
      const text = `${name(a.axis)} uses at most ${per(a.share)} of its limits${where}.`;
      return found("fine", text, a.share > 0 ? a.share_at : null);
    });
}

function braking(p: Proof | null, name: Namer): Finding[] {
  const b = p?.braking;
  if (!b) return [];
  const way = b.travel_m >= 0.005 ? ` and ${b.travel_m.toFixed(2)} m` : "";
  const within = `${b.seconds} s, ${b.frames.toFixed(1)} frames${way}`;
  const worst = `${name(b.worst_axis)} at ${four(Math.round(b.worst_frame))}`;
  const share = `at most ${per(b.worst_share)} of a rated limit (${worst})`;
  return [
    found(
      "fine",
      `Let go anywhere, the rig stops on its path within ${within}, using ${share}.`,
      b.worst_frame,
    ),
  ];
}

// What the camera feels, where people must not be, and what the picture does afterwards.
function riding(v: ShotView, p: Proof | null, at: number): Finding[] {
  const ride = p?.riding;
  if (!ride) return [];
  const out: Finding[] = [];
  const where = ride.centre ? "At its centre of mass" : "At the image plane";
  const feels = ride.worst_g < 0.0005 ? "nothing" : `${+ride.worst_g.toPrecision(2)} g`;
  out.push(
    found(
      "fine",
      `${where} the camera feels at most ${feels} beside its weight.`,
      ride.worst_g > 0 ? ride.worst_g_at : null,
    ),
  );
  if (ride.fastest_m_s > 0) {
    const speed = `${ride.fastest_m_s.toFixed(2)} m/s`;
    out.push(
      found(
        "fine",
        `The fastest point is ${pointName(v, ride.fastest)}, ${speed}. Keep people out of its way.`,
        ride.fastest_at,
      ),
    );
  }
  const here = ride.stop_m[Math.round(at) - v.first];
  if (here !== undefined && ride.worst_stop_m > 0) {
    const most = `at most ${ride.worst_stop_m.toFixed(3)} m`;
    const goes = `its farthest-going point goes on for ${here.toFixed(3)} m`;
    out.push(found("fine", `Let go at ${four(at)}, ${goes}; ${most}.`, ride.worst_stop_at));
  }
  const w = ride.shake;
  const as = w.known ? `${+w.hz.toPrecision(3)} Hz` : `not measured; taken as ${w.hz} Hz`;
  const settles = w.settle_frames > 0;
  const sways = settles
    ? `${w.end_px.toFixed(2)} px; ${w.settle_frames} frames until it is below a quarter`
    : "less than a quarter of a pixel";
  out.push(
    found(
      settles ? "note" : "fine",
      `After the last frame the picture sways by ${sways} (${as}).`,
      null,
    ),
  );
  for (const f of ride.flex.filter((x) => x.px >= 0.005)) {
    const lies = `would lie ${f.px.toFixed(2)} px beside pass ${ride.against}`;
    const text =
      `Pass ${f.number} · ${f.name} at ${+f.fps.toFixed(2)} fps ${lies}, by bending alone (` +
      `${as}).`;
    const over = notOver(f.px, v.threshold_px);
    out.push(found(over ? "note" : "fine", text + over, f.frame));
  }
  for (const f of ride.flex.filter((x) => x.turned_px >= 0.005)) {
    const runs = `Pass ${f.number} · ${f.name} runs another way than pass ${ride.against}`;
    const lies = `it would lie up to ${f.turned_px.toFixed(2)} px beside it`;
    const over = notOver(f.turned_px, v.threshold_px);
    const text = `${runs}: by the slack of its axes alone ${lies}.${over}`;
    out.push(found(over ? "note" : "fine", text, f.turned_at));
  }
  return out;
}

function pointName(v: ShotView, id: string): string {
  if (id === "camera's front") return "the camera’s front";
  return v.machines.length > 1 ? id.replace("/", "’s ") : `the ${id.split("/").pop()}`;
}
