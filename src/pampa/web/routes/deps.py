"""What routes are given."""

from typing import Annotated

from fastapi import Depends, Path, Query, Request

from pampa.studio.studio import Studio


def get_studio(request: Request) -> Studio:
    """The studio that this application works over."""
    studio: Studio = request.app.state.studio
    return studio


Id = Annotated[int, Path(ge=0, lt=1 << 63)]
"""Number of something in the database."""
Frame = Annotated[int, Query(ge=0, le=1 << 40)]
"""A place in frames, or a number that belongs to the document."""
WithStudio = Annotated[Studio, Depends(get_studio)]
