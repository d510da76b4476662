import { Link } from "react-aria-components";
import { Running } from "../live/running.tsx";

export const places = [
  { path: "/live", name: "Live", key: "1" },
  { path: "/face", name: "Face", key: "2" },
] as const;
export type Place = (typeof places)[number]["path"];

export function Rail({ place }: { place: Place }) {
  return (
    <nav className="rail" aria-label="Places">
      {places.map((one) => (
        <Link key={one.path} href={one.path} className="place" aria-current={one.path === place ? "page" : false}>
          {one.name} <kbd aria-hidden="true">{one.key}</kbd>
        </Link>
      ))}
      <Running />
    </nav>
  );
}
