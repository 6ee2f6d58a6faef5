"""`dynamis desktop`: this user's desktop entry, icon, MIME type and man page."""

from __future__ import annotations

import click

from dynamis.cli.output import emit_json, say
from dynamis.errors import InputError


@click.command()
@click.option("--install", "wanted", flag_value="install", help="Put them where the desktop looks for them.")
@click.option("--remove", "wanted", flag_value="remove", help="Take them away again.")
@click.option("--json", "as_json", is_flag=True, help="One JSON object.")
def desktop(wanted: str | None, as_json: bool) -> int:
    """This user's desktop entry, icon, MIME type and man page."""
    from dynamis.files import desktop as entry

    if wanted is None:
        raise InputError("desktop: --install or --remove was expected.")
    paths = entry.install() if wanted == "install" else entry.remove()
    if as_json:
        emit_json({"installed" if wanted == "install" else "removed": [str(path) for path in paths]})
        return 0
    word = "Wrote" if wanted == "install" else "Removed"
    say("\n".join(f"{word} {path}." for path in paths) or "Nothing was installed.")
    return 0
