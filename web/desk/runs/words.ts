// Numbers and times in the words of the reader's own place.

/** "29 Nov 2026, 22:43": a month's name can't be taken for a day. */
export const whenWords = (utc: string) => when.format(new Date(utc));
const when = new Intl.DateTimeFormat([], { day: "numeric", month: "short", year: "numeric", hour: "2-digit", minute: "2-digit" });

export function lengthWords(seconds: number): string {
  const whole = Math.round(seconds), two = (part: number) => String(part).padStart(2, "0");
  const hours = Math.floor(whole / 3600), minutes = Math.floor(whole / 60) % 60;
  return hours > 0 ? `${hours}:${two(minutes)}:${two(whole % 60)}` : `${minutes}:${two(whole % 60)}`;
}
