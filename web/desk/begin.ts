// Small, so that it runs before the page's code is there: asks for what the first view needs.
import { groundAddress, isFittedIn, sizeIn, usualGround } from "./face/ground.ts";
import { placeIn } from "./parts/own_address.ts";
import type { FirstView } from "./wire/types.ts";

const { pathname, searchParams } = new URL(window.location.href);
if (["/", "/face"].includes(placeIn(pathname))) {
  const size = sizeIn(searchParams.get("size"));
  const question = new URLSearchParams({ face: searchParams.get("face") ?? "", width: String(size.width), height: String(size.height) });
  const answer = async () => {
    const response = await fetch(`./api/first-view?${question}`, { credentials: "same-origin" });
    if (!response.ok) return null;
    const view = (await response.json()) as FirstView;
    if (view.scene) new Image().src = `./api/face/picture?number=${view.scene.picture.number}`;
    return view;
  };
  window.firstView = answer().catch(() => null);
  new Image().src = groundAddress(searchParams.get("ground") ?? usualGround, size, isFittedIn(searchParams));
}
