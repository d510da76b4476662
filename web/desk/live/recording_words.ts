import type { LiveRecording } from "../wire/types.ts";

export const clockWords = (s: number) => (s >= 60 ? `${Math.floor(s / 60)}:${String(Math.floor(s % 60)).padStart(2, "0")}` : `${Math.ceil(s)} s`);

/** "recording run 4, 12 s left, 2 of 3" */
export function recordingWords(recording: LiveRecording): string {
  const many = recording.of === undefined ? "" : `, ${recording.number ?? 1} of ${recording.of}`;
  switch (recording.state) {
    case "planned":
      return (recording.waits_for === undefined ? `starts in ${clockWords(recording.in_s ?? 0)}` : `waits for ${recording.waits_for}`) + many;
    case "opening":
      return `begins${many}`;
    case "ending":
      return "writing the end";
    case "recording":
      return `run ${recording.run ?? "…"}${recording.left_s === undefined ? "" : `, ${clockWords(recording.left_s)} left`}${many}`;
  }
}
