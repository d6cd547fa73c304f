// Whoever signs out leaves no pages of the dock on the phone; what waits to be sent stays.
globalThis.caches?.delete("dock-pages").catch(() => undefined);
