"""What a report is made of: headings, sentences, tables and pictures, whatever it is written as."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

from dynamis.plotting.drawing import Drawing


@dataclass(frozen=True)
class Heading:
    """level : 1 for the title of the whole."""

    text: str
    level: Literal[1, 2, 3] = 2


@dataclass(frozen=True)
class Paragraph:
    text: str
    kind: Literal["plain", "small", "strong"] = "plain"


@dataclass(frozen=True)
class Sentences:
    texts: tuple[str, ...]


@dataclass(frozen=True)
class Cells:
    """A table.  left : the columns that stand left.  struck : the rows that no longer count."""

    headings: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]
    left: frozenset[int] = frozenset()
    struck: frozenset[int] = frozenset()


@dataclass(frozen=True)
class Figure:
    drawing: Drawing


@dataclass(frozen=True)
class SignHere:
    """Lines to be filled in by hand."""

    labels: tuple[str, ...]


Block = Heading | Paragraph | Sentences | Cells | Figure | SignHere


@dataclass(frozen=True)
class Report:
    """headings, rows : the same as a table for other programs, full precision; empty where it is none."""

    title: str
    blocks: tuple[Block, ...]
    headings: tuple[str, ...] = ()
    rows: tuple[tuple[str, ...], ...] = field(default=())
