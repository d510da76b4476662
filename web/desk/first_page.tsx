// The face place as it is before anything is known, as HTML: it is seen while the browser still reads the page's code.
import { renderToStaticMarkup } from "react-dom/server";
import { Desk } from "./desk.tsx";
import { setFirstView } from "./parts/first_view.ts";

/** The page's policy allows no styles in HTML: they go to the style sheet. */
export function firstPage(): { html: string; css: string } {
  setFirstView({ faces: { usual: "…", faces: [], starters: [] } });
  const styles: string[] = [];
  const numbered = (_: string, style: string) => `data-style="${styles.indexOf(style) < 0 ? styles.push(style) - 1 : styles.indexOf(style)}"`;
  const html = renderToStaticMarkup(<Desk />).replace(/<link rel="preload"[^>]*>/, "").replaceAll(/<(input|button) (?![^>]*disabled="")/g, "<$1 disabled ");
  const picture = /<div class="picture".*?<\/div><\/div>/;
  if (!picture.test(html)) throw new Error("the first page has no picture");
  const page = html.replace(picture, "<!-- PICTURE -->").replaceAll(/style="([^"]*)"/g, numbered);
  return { html: page, css: styles.map((style, i) => `[data-style="${i}"]{${style.replaceAll("&quot;", '"')}}`).join("\n") };
}
