"""Answers go out packed, where a browser takes that: a phone beside the printer loads pages over a weak network."""

from __future__ import annotations

import gzip

from flask import Flask, Response, request

PACKED = frozenset({
    "text/html", "text/css", "text/javascript", "application/javascript", "application/json", "image/svg+xml",
})  # fmt: skip
LEAST, MOST = 1_000, 4_000_000
"""What is smaller gains nothing; what is larger is a download, and would hold a thread."""
LEVEL = 5


def pack_answers(app: Flask) -> None:
    """Whole answers of text. What lies in pieces, or was packed already, goes as it is.

    A packed page could tell somebody who watches the line and has the browser ask for it again and again what stands in
    it, letter by letter. Nobody can have it asked so: from other sites the browser sends no cookie along, so there is
    nothing of a session in what they would see.
    """

    @app.after_request
    def pack(response: Response) -> Response:
        if response.mimetype not in PACKED or response.status_code != 200 or request.method != "GET":
            return response
        response.vary.add("Accept-Encoding")
        in_pieces = response.direct_passthrough and request.endpoint != "static"
        if in_pieces or response.content_encoding or request.accept_encodings.quality("gzip") <= 0:
            return response
        response.direct_passthrough = False
        data = response.get_data()
        if LEAST <= len(data) <= MOST:
            response.set_data(gzip.compress(data, LEVEL, mtime=0))
            response.content_encoding = "gzip"
            # The same thing in other bytes: its mark says no more than that.
            etag, _ = response.get_etag()
            if etag is not None:
                response.set_etag(etag, weak=True)
        return response
