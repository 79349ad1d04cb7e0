"""What trying Mend's processes on stretches of a recording came to: figures that proposals are weighed by."""

from dataclasses import dataclass


@dataclass(frozen=True)
class Trial:
    """Found by `pampa.core.proposals.trying`. None stands for what these stretches do not let one tell.

    seconds : how much was tried. speech_dbfs : how loud talk is once its noise is gone. noise_dbfs : what lowering
    noise takes away where it lies steadily. flatness : of its spectrum, 0 for tones to
    0.56 for noise. loss_db : by how much lowering it makes the loudest talk softer. room_db : by how
    much lowering the room makes talk softer, at half of all moments at least. clicks : how many stand out.
    thumps : how often breath struck the microphone so that it is heard. sharp : how many s stand far over what the
    brightness of this voice lets one expect; talk_s : in how much talk.
    """

    seconds: float
    speech_dbfs: float | None = None
    noise_dbfs: float | None = None
    flatness: float = 0.56
    loss_db: float = 0.0
    room_db: float | None = None
    clicks: int = 0
    thumps: int = 0
    sharp: int = 0
    talk_s: float = 0.0

    @property
    def over_noise_db(self) -> float | None:
        """How far talk stands over the noise that can be taken away."""
        known = self.speech_dbfs is not None and self.noise_dbfs is not None
        return self.speech_dbfs - self.noise_dbfs if known else None  # type: ignore[operator]

    @property
    def clicks_per_min(self) -> float:
        return 60 * self.clicks / self.seconds if self.seconds else 0.0

    @property
    def sharp_per_min(self) -> float:
        """Sharp s in a minute of talk."""
        return 60 * self.sharp / self.talk_s if self.talk_s else 0.0
