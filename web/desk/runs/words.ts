// Numbers and times in the words of the reader's own place.

/** "29 Nov 2026, 22:43": a month's name can't be taken for a day. */
/** A damaged store may hold any text. */
export const whenWords = (utc: string) => {
  const at = new Date(utc);
  return Number.isNaN(at.getTime()) ? "no date" : when.format(at);
};
const when = new Intl.DateTimeFormat([], { day: "numeric", month: "short", year: "numeric", hour: "2-digit", minute: "2-digit" });

/** A name or a note from a store, which may have any length, for a place with little room. */
export const shortWords = (text: string) => (text.length > 200 ? `${text.slice(0, 199)}…` : text);

export function lengthWords(seconds: number): string {
  const whole = Math.round(seconds), two = (part: number) => String(part).padStart(2, "0");
  const hours = Math.floor(whole / 3600), minutes = Math.floor(whole / 60) % 60;
  return hours > 0 ? `${hours}:${two(minutes)}:${two(whole % 60)}` : `${minutes}:${two(whole % 60)}`;
}
