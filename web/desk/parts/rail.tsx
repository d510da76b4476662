import { Button, Link } from "react-aria-components";
import { ownAddress } from "./own_address.ts";
import { Running } from "../live/running.tsx";

export const places = [
  { path: "/live", name: "Live", key: "1" },
  { path: "/face", name: "Face", key: "2" },
  { path: "/runs", name: "Runs", key: "3" },
  { path: "/machine", name: "Machine", key: "4" },
] as const;
export type Place = (typeof places)[number]["path"];

export function Rail({ place, onFind }: { place: Place; onFind: () => void }) {
  return (
    <nav className="rail" aria-label="Places">
      {places.map((one) => (
        <Link key={one.path} href={ownAddress(one.path)} className="place" aria-current={one.path === place ? "page" : false}>
          {one.name} <kbd aria-hidden="true">{one.key}</kbd>
        </Link>
      ))}
      <Button className="find" onPress={onFind}>Find <kbd>Ctrl K</kbd></Button>
      <Running />
    </nav>
  );
}
