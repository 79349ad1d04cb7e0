"""Rendering of pages: the templates, and what all of them are given."""

import json
from pathlib import Path
from typing import Any

from fastapi import Request
from fastapi.responses import HTMLResponse
from fastapi.templating import Jinja2Templates
from markupsafe import Markup

from pampa.web.security import token_of
from pampa.web.static_files import address

HERE = Path(__file__).parent
templates = Jinja2Templates(HERE / "templates")


def script_data(data: Any) -> Markup:
    """Data for a script element of type application/json: nothing in it can end the element."""
    text = json.dumps(data, ensure_ascii=False, default=str)
    return Markup(text.replace("<", "\\u003c").replace(">", "\\u003e").replace("&", "\\u0026"))


templates.env.filters["script_data"] = script_data
templates.env.globals["static"] = address
templates.env.trim_blocks = templates.env.lstrip_blocks = True


def page(request: Request, name: str, **values: Any) -> HTMLResponse:
    """A page from its template."""
    return templates.TemplateResponse(request, name, {"token": token_of(request), **values})
