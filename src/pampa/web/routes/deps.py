"""What routes are given."""

from typing import Annotated

from fastapi import Depends, Request

from pampa.studio.studio import Studio


def get_studio(request: Request) -> Studio:
    """The studio that this application works over."""
    studio: Studio = request.app.state.studio
    return studio


WithStudio = Annotated[Studio, Depends(get_studio)]
