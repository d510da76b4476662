import { Suspense, lazy, useEffect, useState, type ComponentType } from "react";
import { RouterProvider } from "react-aria-components";
import { endFirstView } from "./parts/first_view.ts";
import { isTyping } from "./parts/is_typing.ts";
import { Boundary } from "./parts/boundary.tsx";
import { useAddress } from "./parts/use_address.ts";
import { FacePlace } from "./face/face_place.tsx";
import { FirstMinute } from "./first_minute.tsx";
import { LiveProvider } from "./live/live_provider.tsx";
import { Rail, places, type Place } from "./parts/rail.tsx";

const later = () => import("./later.ts");
const Finder = lazy(async () => ({ default: (await later()).Finder }));

/** The usual first view is in the page's first file; the others are loaded when they are opened. */
const views: Record<Place, ComponentType> = {
  "/live": lazy(async () => ({ default: (await later()).LivePlace })),
  "/face": FacePlace,
  "/runs": lazy(async () => ({ default: (await later()).RunsPlace })),
  "/machine": lazy(async () => ({ default: (await later()).MachinePlace })),
};

const isPlace = (text: string): text is Place => places.some((place) => place.path === text);

export function Desk() {
  const { path, go } = useAddress();
  const [isFinding, setFinding] = useState(false);
  const place = isPlace(path) ? path : "/face", View = views[place];
  useEffect(endFirstView, []);

  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      if (event.ctrlKey && event.key.toLowerCase() === "k") {
        event.preventDefault();
        setFinding(true);
        return;
      }
      const next = places.find((one) => one.key === event.key);
      if (!next || event.ctrlKey || event.altKey || event.metaKey || isTyping(event.target)) return;
      go({ path: next.path });
    };
    window.addEventListener("keydown", onKey);
    return () => { window.removeEventListener("keydown", onKey); };
  }, [go]);

  return (
    <RouterProvider navigate={(next) => { go({ path: next }); }}>
    <LiveProvider>
      <Rail place={place} onFind={() => { setFinding(true); }} />
      <main>
        <Boundary what="The first minute"><FirstMinute /></Boundary>
        <h1 className="only-read">{places.find((one) => one.path === place)?.name}</h1>
        <Suspense fallback={<p className="quiet">One moment …</p>}>
          <Boundary key={place} what={`The place ${places.find((one) => one.path === place)?.name ?? ""}`}><View /></Boundary>
        </Suspense>
      </main>
      {isFinding && <Suspense><Finder onClose={() => { setFinding(false); }} /></Suspense>}
    </LiveProvider>
    </RouterProvider>
  );
}
