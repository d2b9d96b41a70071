const relative = new Intl.RelativeTimeFormat("en", { numeric: "auto" });

/** A time as people say it: 5 minutes ago, yesterday, 3 May 2026. */
export function ago(time: string | undefined): string {
  if (!time) return "never";
  const then = new Date(time);
  const minutes = (then.getTime() - Date.now()) / 60_000;
  if (minutes > -1 && minutes < 1) return "just now";
  if (Math.abs(minutes) < 60) return relative.format(Math.round(minutes), "minute");
  if (Math.abs(minutes) < 24 * 60) return relative.format(Math.round(minutes / 60), "hour");
  if (Math.abs(minutes) < 14 * 24 * 60) return relative.format(Math.round(minutes / 60 / 24), "day");
  return then.toLocaleDateString("en", { day: "numeric", month: "long", year: "numeric" });
}

/** A day as an axis has it: 3 May. */
export const shortDay = (day: string) =>
  new Date(`${day}T12:00:00Z`).toLocaleDateString("en-GB", {
    day: "numeric",
    month: "short",
    timeZone: "UTC",
  });

/** The number of a day's week in its year, as ISO 8601 counts them. */
export function weekOf(day: string): number {
  const d = new Date(`${day}T12:00:00Z`);
  // The week belongs to the year that its Thursday is in.
  d.setUTCDate(d.getUTCDate() + 4 - (d.getUTCDay() || 7));
  const first = Date.UTC(d.getUTCFullYear(), 0, 1);
  return Math.ceil(((d.getTime() - first) / 86_400_000 + 1) / 7);
}

/** A stretch of time in seconds, as it is said. */
export const span = (seconds: number) =>
  seconds < 1
    ? `${Math.round(1000 * seconds)} ms`
    : `${seconds < 10 ? seconds.toFixed(1) : Math.round(seconds)} s`;
