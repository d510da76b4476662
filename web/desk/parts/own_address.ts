// The desk answers below a path that nobody can guess: its addresses are relative to the page's.

/** "/api/faces" as the page asks for it: every place is directly below the desk's path. */
export const ownAddress = (path: string) => `.${path}`;

/** "/live" of "/3f…/live". */
export const placeIn = (pathname: string) => pathname.slice(pathname.lastIndexOf("/"));
