import { useCallback, useEffect, useRef, useState } from "react";
import { Problem } from "../parts/problem.tsx";
import { useAsked } from "../parts/use_asked.ts";
import type { SceneAnswer } from "../wire/types.ts";
import { AreaButton, type Drag } from "./area_button.tsx";
import type { Size } from "./drag.ts";
import { GroundBar, useGround } from "./ground_bar.tsx";
import type { FaceState } from "./use_face.ts";

interface Props {
  name: string;
  state: FaceState;
  part: string;
  onSelect: (part: string) => void;
}

/** How large the picture is shown, so that it fits, or pixel by pixel. */
function useZoom(size: Size, isFitted: boolean) {
  const frame = useRef<HTMLDivElement>(null);
  const [zoom, setZoom] = useState(0.5);
  useEffect(() => {
    const element = frame.current;
    if (!element) return;
    const fit = () => {
      const room = element.getBoundingClientRect();
      setZoom(isFitted ? Math.min(room.width / size.width, room.height / size.height) : 1 / window.devicePixelRatio);
    };
    const observer = new ResizeObserver(fit);
    observer.observe(element);
    fit();
    return () => { observer.disconnect(); };
  }, [size.width, size.height, isFitted]);
  return { frame, zoom };
}

export function Stage({ name, state, part, onSelect }: Props) {
  const ground = useGround();
  const { size, isFitted } = ground;
  const { frame, zoom } = useZoom(size, isFitted);
  const version = state.face?.version;
  const question = version === undefined || !state.face?.parts ? null : { name, ...size, version };
  const { answer: scene, error } = useAsked<SceneAnswer>("/api/face/scene", question, 1000);
  const { reload, isBusy } = state;
  const isOther = scene !== null && version !== undefined && scene.version !== version;  // somebody else has changed it
  useEffect(() => { if ((isOther || error) && !isBusy) reload(); }, [isOther, error, isBusy, reload]);
  const [drag, setDrag] = useState<Drag | null>(null);
  const onDrag = useCallback((next: Drag | null) => { setDrag(next); }, []);
  const box = scene?.areas.find((one) => one.part === "face")?.area;
  const middle = useRef({ x: 0, y: 0 });
  const hasBox = box !== undefined;
  useEffect(() => { if (box) middle.current = { x: box.x + box.width / 2, y: box.y + box.height / 2 }; }, [box]);
  useEffect(() => {  // in its true size the picture is larger than the page: the overlay is what is looked at
    const element = frame.current, { x, y } = middle.current;
    if (!isFitted && hasBox) element?.scrollTo({ left: x * zoom - element.clientWidth / 2, top: y * zoom - element.clientHeight / 2 });
  }, [isFitted, hasBox, zoom, frame]);
  const shift = drag?.part === "face" && box ? { x: drag.area.x - box.x, y: drag.area.y - box.y } : { x: 0, y: 0 };

  return (
    <>
      <GroundBar ground={ground} />
      <Problem error={error} />
      <div className="stage" ref={frame}>
        <div className="picture" style={{ width: size.width * zoom, height: size.height * zoom }}>
          <div className="pixels" style={{ width: size.width, height: size.height, transform: `scale(${zoom})`, ["--zoom" as string]: zoom }}>
            <img className="ground" src={ground.source} alt="" width={size.width} height={size.height} draggable={false} />
            {scene && (
              <img className="overlay" data-version={scene.version} src={`./api/face/picture?number=${scene.picture.number}`} draggable={false}
                alt={`The overlay ${name}`} style={{ left: scene.picture.x + shift.x, top: scene.picture.y + shift.y }} />
            )}
            {scene?.areas.map(({ part: one, area }) => (
              <AreaButton key={one} part={one} area={area} scene={scene} state={state} size={size} zoom={zoom} isSelected={one === part}
                onSelect={onSelect} onDrag={onDrag} />
            ))}
            {drag && <div className="ghost" style={{ left: drag.area.x, top: drag.area.y, width: drag.area.width, height: drag.area.height }} />}
            {drag?.guides.map((guide) => (
              <div key={guide.along + String(guide.at)} className={`guide guide-${guide.along}`} style={guide.along === "x" ? { left: guide.at } : { top: guide.at }} />
            ))}
          </div>
        </div>
      </div>
      {scene && !scene.fits && <p className="problem">The overlay needs more room than a picture of this size has.</p>}
    </>
  );
}
