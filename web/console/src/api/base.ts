/** The path that the service is under, without a slash at its end; empty for none. */
export const base = new URL(document.baseURI).pathname.replace(/\/+$/, "");

/** The service's address as this page came by it, without a slash at its end. */
export const service = location.origin + base;

/** A path of the service's, for links and images. */
export const at = (path: string): string => base + path;

/** What the router takes off addresses: inside, the service may be come to without its base. */
export const routed = location.pathname === base || location.pathname.startsWith(`${base}/`) ? base : "";
