"""What is known of a picture."""

from dataclasses import dataclass


@dataclass(frozen=True)
class PictureFacts:
    """width, height : as it is seen, in pixels, after turning. rotation : counter-clockwise, in degrees.

    fps : the mean. duration_s : of the picture alone. starts_s : where its first frame lies on the time of the sound.
    """

    width: int
    height: int
    rotation: int
    fps: float
    variable: bool
    duration_s: float
    starts_s: float
    codec: str
