import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { Desk } from "./desk.tsx";
import { waitForFirstView } from "./parts/first_view.ts";

await waitForFirstView();
const root = document.getElementById("desk");
if (root) {
  root.inert = false;  // what was there before can only be seen
  createRoot(root).render(<StrictMode><Desk /></StrictMode>);
}
