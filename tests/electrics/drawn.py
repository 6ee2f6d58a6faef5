"""Which points of a drawing are one node."""

from __future__ import annotations

import itertools

import numpy as np

_NEAR = 1e-6


def joined(drawn) -> dict[tuple[float, float], int]:
    """Which points of a drawing are one node: those along a wire, and those that lie on one."""
    points = (
        {point for wire in drawn.wires for point in wire}
        | {one.at for one in drawn.symbols}
        | {one.to for one in drawn.symbols}
    )
    parent = {point: point for point in points}

    def root(point):
        while parent[point] != point:
            point = parent[point]
        return point

    for wire in drawn.wires:
        for a, b in itertools.pairwise(wire):
            for point in points:
                along = np.hypot(point[0] - a[0], point[1] - a[1]) + np.hypot(b[0] - point[0], b[1] - point[1])
                if along - np.hypot(b[0] - a[0], b[1] - a[1]) < _NEAR:
                    parent[root(point)] = root(a)
    for a, b in itertools.combinations(points, 2):
        if np.hypot(a[0] - b[0], a[1] - b[1]) < _NEAR:
            parent[root(a)] = root(b)
    for one in drawn.symbols:
        if one.kind == "terminal":  # its lead is drawn with it
            parent[root(one.at)] = root(one.to)
    return {point: hash(root(point)) for point in points}
