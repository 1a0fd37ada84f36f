// Tests of what needs no page run without one.
const page = typeof document === "undefined" ? null : document;
const { origin, pathname } = page?.location ?? { origin: "", pathname: "/" };

/** The path that the service is under, without a slash at its end; empty for none. */
export const base = page ? new URL(page.baseURI).pathname.replace(/\/+$/, "") : "";

/** The service's address as this page came by it, without a slash at its end. */
export const service = origin + base;

/** A path of the service's, for links and images. */
export const at = (path: string): string => base + path;

/** What the router takes off addresses: inside, the service may be come to without its base. */
export const routed = pathname === base || pathname.startsWith(`${base}/`) ? base : "";
