"""A stand-in design rainfall service: OGC API - Features on the loopback, with invented depths for any place."""

from __future__ import annotations

import json
import math
import threading
from collections.abc import Iterator
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any
from urllib.parse import parse_qs, urlparse

#: Size of a cell, degrees.
CELL = 0.05

#: Cells of one answer, at most.
MOST_CELLS = 400

#: Features of a page, unless another number is asked for, and at most.
USUAL, MOST = 500, 2000

COLLECTION = "depths"

DURATIONS = (15, 30, 60, 120, 180, 360, 720, 1440, 2880)
TWO_YEAR = (8.6, 11.7, 15.8, 21.1, 24.9, 33.0, 43.4, 56.2, 71.0)
GROWTH = {2: 1.0, 5: 1.33, 10: 1.57, 30: 1.99, 50: 2.21, 100: 2.56, 200: 2.95}


def depth_of(column: int, row: int, minutes: int, period: int) -> float:
    """The invented depth of a cell, mm: more to the west and on a few hills."""
    hills = 1 + 0.10 * math.sin(column / 3) * math.cos(row / 4) - 0.02 * math.tanh(column * CELL / 10)
    steeper = 1 + 0.06 * math.log(2880 / minutes) / math.log(192)
    return round(hills * TWO_YEAR[DURATIONS.index(minutes)] * (1 + (GROWTH[period] - 1) * steeper), 1)


def cells_in(bounds: tuple[float, float, float, float]) -> list[tuple[int, int]]:
    """Cells that meet bounds in degrees, row by row; ValueError for bounds that are none, or too wide."""
    west, south, east, north = bounds
    if not (-180 <= west <= east <= 180 and -90 <= south <= north <= 90):
        raise ValueError("bbox")
    columns = range(math.floor(west / CELL), math.floor(east / CELL) + 1)
    rows = range(math.floor(south / CELL), math.floor(north / CELL) + 1)
    if len(columns) * len(rows) > MOST_CELLS:
        raise ValueError("bbox")
    return [(column, row) for row in rows for column in columns]


def features_in(bounds: tuple[float, float, float, float]) -> Iterator[dict[str, Any]]:
    """Every depth of every cell within bounds."""
    for column, row in cells_in(bounds):
        west, south = round(column * CELL, 6), round(row * CELL, 6)
        east, north = round((column + 1) * CELL, 6), round((row + 1) * CELL, 6)
        ring = [[west, south], [east, south], [east, north], [west, north], [west, south]]
        for minutes in DURATIONS:
            for period in GROWTH:
                yield {
                    "type": "Feature",
                    "id": f"{column}.{row}.{minutes}.{period}",
                    "geometry": {"type": "Polygon", "coordinates": [ring]},
                    "properties": {
                        "cell": f"{column}.{row}",
                        "duration_min": minutes,
                        "return_period": period,
                        "depth_mm": depth_of(column, row, minutes, period),
                        "series": "annual maxima",
                    },
                }


class _Answers(BaseHTTPRequestHandler):
    """Answers the paths of the standard; others are not found."""

    def do_GET(self) -> None:
        """Answer one request."""
        parts = urlparse(self.path)
        asked = {key: values[-1] for key, values in parse_qs(parts.query).items()}
        path = parts.path.rstrip("/")
        try:
            if path == "":
                self._send({"title": "Design rainfall (stand-in, invented)", "links": self._links()})
            elif path == "/conformance":
                self._send({"conformsTo": [f"http://www.opengis.net/spec/ogcapi-features-1/1.0/conf/{part}"
                                           for part in ("core", "geojson")]})  # fmt: skip
            elif path == "/collections":
                self._send({"collections": [self._collection()], "links": []})
            elif path == f"/collections/{COLLECTION}":
                self._send(self._collection())
            elif path == f"/collections/{COLLECTION}/items":
                self._send(self._items(asked), "application/geo+json")
            else:
                self._send({"code": "NotFound", "description": "There is no such resource."}, status=404)
        except ValueError as error:
            self._send({"code": "InvalidParameterValue", "description": f"{error} cannot be used."}, status=400)

    @property
    def _root(self) -> str:
        assert isinstance(self.server, ThreadingHTTPServer)
        return f"http://127.0.0.1:{self.server.server_port}"

    def _links(self) -> list[dict[str, str]]:
        return [
            {"rel": rel, "href": f"{self._root}/{path}", "type": "application/json"}
            for rel, path in (("self", ""), ("conformance", "conformance"), ("data", "collections"))
        ]

    def _collection(self) -> dict[str, Any]:
        return {
            "id": COLLECTION,
            "title": "Depths by duration and return period (invented)",
            "extent": {"spatial": {"bbox": [[-180, -90, 180, 90]]}},
            "links": [{"rel": "items", "href": f"{self._root}/collections/{COLLECTION}/items"}],
        }

    def _items(self, asked: dict[str, str]) -> dict[str, Any]:
        numbers = [float(part) for part in asked.get("bbox", "0,0,0,0").split(",")]
        if len(numbers) != 4:
            raise ValueError("bbox")
        west, south, east, north = numbers
        whole = list(features_in((west, south, east, north)))
        limit, offset = min(max(int(asked.get("limit", USUAL)), 1), MOST), max(int(asked.get("offset", 0)), 0)
        links = []
        if offset + limit < len(whole):
            query = f"bbox={asked['bbox']}&limit={limit}&offset={offset + limit}"
            links.append({"rel": "next", "href": f"{self._root}/collections/{COLLECTION}/items?{query}"})
        part = whole[offset : offset + limit]
        return {
            "type": "FeatureCollection", "features": part, "links": links, "numberMatched": len(whole),
            "numberReturned": len(part),
        }  # fmt: skip

    def _send(self, content: dict[str, Any], kind: str = "application/json", status: int = 200) -> None:
        data = json.dumps(content).encode()
        self.send_response(status)
        self.send_header("Content-Type", kind)
        self.send_header("Content-Length", str(len(data)))
        self.end_headers()
        self.wfile.write(data)

    def log_message(self, format: str, *args: Any) -> None:
        """Nothing is logged."""


class StandIn:
    """The service on a free port of the loopback, in a thread, until it is closed."""

    def __init__(self, port: int = 0) -> None:
        self._server = ThreadingHTTPServer(("127.0.0.1", port), _Answers)
        self._server.daemon_threads = True
        self._thread = threading.Thread(target=self._server.serve_forever, daemon=True)
        self._thread.start()

    @property
    def url(self) -> str:
        """Its address."""
        return f"http://127.0.0.1:{self._server.server_port}"

    def close(self) -> None:
        """Stop it."""
        self._server.shutdown()
        self._server.server_close()
        self._thread.join()

    def __enter__(self) -> StandIn:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()
