// A moment as it stands beside what was done then: "02 Dec, 14:10".
export const dayAndHour = (t: string): string =>
  new Date(t).toLocaleString("en-GB", {
    day: "2-digit",
    month: "short",
    hour: "2-digit",
    minute: "2-digit",
  });

// The same of today: "14:10".
export const hour = (t: string): string =>
  new Date(t).toLocaleTimeString("en-GB", { hour: "2-digit", minute: "2-digit" });
