// Readings as lists show them.
import type { Reading } from "../wire/types.ts";

export function byDevice(readings: readonly Reading[]): [string, Reading[]][] {
  const devices = new Map<string, Reading[]>();
  for (const one of readings) devices.set(one.device, [...(devices.get(one.device) ?? []), one]);
  return [...devices];
}
