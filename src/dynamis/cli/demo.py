"""`dynamis demo`: write the demo bench to a new file."""

from __future__ import annotations

from pathlib import Path

import click

from dynamis.cli.output import say


@click.command()
@click.option("-o", "output", required=True, metavar="FILE.dynamis", type=click.Path(path_type=Path))
def demo(output: Path) -> int:
    """Write the demo bench, the Lantern House, to a new file."""
    from dynamis.demo.lantern import write_demo

    write_demo(output)
    say(f"Wrote {output}.")
    return 0
