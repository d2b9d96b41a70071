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
