"""The modules of a page as one script: a browser asks once where it would ask for eighty files.

Each module becomes a function that is called once, in the order of what needs what, and gives what it exports. It takes
the forms that are written here: `import { a, b as c } from "./x.js";`, and `export` before a declaration.
"""

import re
from functools import cache
from graphlib import TopologicalSorter

from fastapi import HTTPException, Request
from starlette.responses import Response

from pampa.web.static_files import FOR_EVER, STATIC

JS = STATIC / "js"
PAGES = ("episode", "series", "shows")
IMPORT = re.compile(r'^import \{([^}]*)\} from "\./([\w-]+)\.js";$', re.MULTILINE)
EXPORT = re.compile(r"^export (?=(?:async function|function|class|const) (\w+))", re.MULTILINE)
UNREAD = re.compile(r"^(?:import|export)\b.*", re.MULTILINE)


async def script(request: Request) -> Response:
    """The script of a page, kept by browsers for ever: its address changes when any file does."""
    if request.path_params["page"] not in PAGES:
        raise HTTPException(404)
    text = joined(request.path_params["page"])
    return Response(text, media_type="text/javascript", headers={"Cache-Control": FOR_EVER})


@cache
def joined(entry: str) -> str:
    """The script of a module and of all that it needs.

    entry : name of a module without its suffix. Raises ValueError for a form of import or export that is not known
    here, graphlib.CycleError where modules need each other in a circle, OSError where one is not there.
    """
    needs: dict[str, set[str]] = {}
    texts: dict[str, str] = {}
    waiting = [entry]
    while waiting:
        name = waiting.pop()
        if name not in needs:
            texts[name] = (JS / f"{name}.js").read_text()
            needs[name] = {needed for _, needed in IMPORT.findall(texts[name])}
            waiting.extend(sorted(needs[name]))
    order = TopologicalSorter({name: sorted(needs[name]) for name in sorted(needs)}).static_order()
    return "".join(_called(name, texts[name]) for name in order)


def _called(name: str, text: str) -> str:
    exported = EXPORT.findall(text)
    body = EXPORT.sub("", IMPORT.sub(_taken, text))
    if unread := UNREAD.search(body):
        raise ValueError(f"{name}.js cannot be joined: {unread[0]}")
    return f"// {name}.js\nconst {_of(name)} = (() => {{\n{body}\nreturn {{ {', '.join(exported)} }};\n}})();\n"


def _taken(match: re.Match[str]) -> str:
    return f"const {{{match[1].replace(' as ', ': ')}}} = {_of(match[2])};"


def _of(name: str) -> str:
    return f"module_{name.replace('-', '_')}"
