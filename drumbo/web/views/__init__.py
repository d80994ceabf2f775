"""One module a part of the site; each view parses, calls one service, renders."""
