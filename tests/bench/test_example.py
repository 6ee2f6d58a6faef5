"""The bench that the documents show is a bench, and says what they say."""

from __future__ import annotations

import json
from pathlib import Path

from dynamis.files.bench_json import read_json, schema

DOCS = Path(__file__).parents[2] / "docs"


def test_the_example_is_judged_as_the_document_says(dynamis):
    asked = dynamis("check", DOCS / "example-bench.json", "--json")
    assert [(one["role"], one["verdict"]) for one in asked.json["links"]] == [
        ("pitch", "marginal"),
        ("trigger", "unsafe"),
    ]
    assert asked.status == 1
    held = read_json(DOCS / "example-bench.json")
    assert held.bench.name == "Trapdoor organ"
    told = (DOCS / "bench-json.md").read_text()
    for path in (DOCS / "example-bench.json", DOCS / "bench.schema.json"):
        assert path.name in told


def test_every_field_of_the_example_is_in_the_schema():
    known = schema()["$defs"]
    example = json.loads((DOCS / "example-bench.json").read_text())["bench"]
    assert set(example) <= set(known["Bench"]["properties"])
    for gear in example["gear"]:
        assert set(gear) <= set(known["Gear"]["properties"])
        assert all(set(port) <= set(known["Port"]["properties"]) for port in gear["ports"])
    assert all(set(link) <= set(known["Link"]["properties"]) for link in example["links"])


def test_a_broken_newer_or_unknown_export_is_refused_in_one_line(dynamis, tmp_path):
    text = (DOCS / "example-bench.json").read_text()
    for changed, words in (
        (text[:-20], "no exported bench"),
        (text.replace('"version": 4', '"version": 99', 1), "99"),
        (text.replace('"ohms": 2200', '"ohms": -1'), "cannot be below 0"),
        (text.replace('"role": "gate"', '"role": "smell"'), "smell"),
        (text.replace('"swing"', '"swings"'), "swings"),
    ):
        (tmp_path / "b.json").write_text(changed)
        asked = dynamis("check", tmp_path / "b.json")
        assert (asked.status, asked.err.count("\n")) == (2, 1)
        assert words in asked.err
