import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { Desk } from "./desk.tsx";

const root = document.getElementById("desk");
if (root) createRoot(root).render(<StrictMode><Desk /></StrictMode>);
