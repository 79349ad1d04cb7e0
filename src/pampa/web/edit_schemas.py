"""The edits that a page may send: one model for each, made of the catalogue, where all limits stand."""

from dataclasses import MISSING, fields
from typing import TYPE_CHECKING, Annotated, Any, Literal, Union

from pydantic import BaseModel, ConfigDict, Field, create_model

from pampa.core.mend.amounts import Amounts
from pampa.core.timeline.edits import EDITS
from pampa.core.timeline.edits import Edit as Kind
from pampa.core.timeline.limits import hints_of
from pampa.core.voice.recipe import Recipe
from pampa.web.schemas import AmountsBody, Number, RecipeBody

BODIES: dict[Any, type[BaseModel]] = {Amounts: AmountsBody, Recipe: RecipeBody}


class Edit(BaseModel):
    model_config = ConfigDict(extra="forbid")

    edit: str

    def parameters(self) -> dict[str, Any]:
        """The edit's own parameters; what was left open stays open."""
        return self.model_dump(exclude={"edit"}, exclude_none=True)


def model_of(kind: Kind) -> type[Edit]:
    """The model of an edit: its name, and the parameters with the limits that the core holds them to."""
    told: dict[str, Any] = {"edit": (Literal[kind.name], ...)}
    for field in fields(kind.told):
        hint = hints_of(kind.told)[field.name]
        default = ... if field.default is MISSING else field.default
        told[field.name] = (BODIES.get(hint, hint), default)
    name = kind.name.title().replace("_", "")
    model: type[Edit] = create_model(name, __base__=Edit, __doc__=kind.told.__doc__, **told)
    return model


if TYPE_CHECKING:
    AnyEdit = Edit
else:
    AnyEdit = Annotated[
        Union[tuple(model_of(kind) for kind in EDITS.values() if kind.by_page)], Field(discriminator="edit")  # noqa: UP007
    ]


class EditRequest(BaseModel):
    """An edit against the revision that the page shows."""

    model_config = ConfigDict(
        json_schema_extra={"examples": [{"revision": 7, "edit": {"edit": "take_out", "start": 48000, "stop": 96000}}]}
    )

    revision: Number
    edit: AnyEdit
    at: Number | None = Field(
        None, description="Where the playhead stands, in frames: what is mended is heard there first."
    )
