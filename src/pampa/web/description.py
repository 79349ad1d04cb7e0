"""How the interface describes itself: every refusal has one shape.

It is told as a reference, not as a model: FastAPI would make one for each of eight codes of each route, and the first
request of all would wait a quarter of a second for it.
"""

from http import HTTPStatus
from typing import Any

from fastapi import FastAPI

from pampa.web.schemas import ErrorBody

_CODES = (400, 401, 403, 404, 409, 413, 422, 507)
_AT = "#/components/schemas/"

REFUSALS: dict[int | str, dict[str, Any]] = {
    code: {
        "description": HTTPStatus(code).phrase,
        "content": {"application/json": {"schema": {"$ref": f"{_AT}{ErrorBody.__name__}"}}},
    }
    for code in _CODES
}
"""What every route may answer besides."""


class Described(FastAPI):
    """An application that tells the shape of refusals with the others."""

    def openapi(self) -> dict[str, Any]:
        schema = super().openapi()
        shape = ErrorBody.model_json_schema(ref_template=_AT + "{model}")
        schema["components"]["schemas"].update({**shape.pop("$defs", {}), ErrorBody.__name__: shape})
        return schema
