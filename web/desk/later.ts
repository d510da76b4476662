// What the first view doesn't need, in one file: loaded when it is asked for.
export { Finder } from "./find/finder.tsx";
export { LivePlace } from "./live/live_place.tsx";
export { MachinePlace } from "./machine/machine_place.tsx";
export { RunsPlace } from "./runs/runs_place.tsx";
