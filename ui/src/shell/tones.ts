// The state of the drives as sound, for those who look at the rig and not at the screen:
// a falling pair when they let go, one even tone when they hold, a rising three when they
// go live. Made here; nothing is fetched.
let audio: AudioContext | null = null;

const tunes: Record<string, number[]> = {
  free: [440, 294],
  holding: [440],
  live: [440, 554, 659],
  "not seen": [220, 220],
};

export function sound(drive: string): void {
  const tune = tunes[drive];
  if (!tune) return;
  audio ??= new AudioContext();
  void audio.resume();
  const from = audio.currentTime + 0.02;
  tune.forEach((hz, i) => {
    const o = audio!.createOscillator(),
      g = audio!.createGain(),
      at = from + i * 0.16;
    o.frequency.value = hz;
    g.gain.setValueAtTime(0, at);
    g.gain.linearRampToValueAtTime(0.25, at + 0.015);
    g.gain.setValueAtTime(0.25, at + 0.11);
    g.gain.linearRampToValueAtTime(0, at + 0.14);
    o.connect(g).connect(audio!.destination);
    o.start(at);
    o.stop(at + 0.15);
  });
  document.documentElement.dataset.sounded = drive;
}
