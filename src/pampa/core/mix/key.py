"""A name for exactly the samples of a mix, so that what was rendered once is found again."""

import hashlib

from pampa.core.mix.render import Mix

VERSION = 3
"""Of how a mix is rendered from its plan, and its stretches are named: whoever changes what is heard raises it."""


def mix_key(mix: Mix) -> str:
    """32 letters and digits that change with any sample of the mix."""
    digest = hashlib.blake2b(repr((VERSION, mix.rate, mix.frames, mix.plan.strips)).encode(), digest_size=16)
    for lane in mix.plan.lanes:
        digest.update(repr((lane.to, lane.home)).encode())
        for span in lane.spans:
            digest.update(
                repr((
                    span.sound.key, span.start, span.stop, span.source, span.gain, span.fade_in, span.fade_out,
                    span.even_in, span.even_out, span.envelope, span.shape_in, span.shape_out, span.sends,
                )).encode()
            )  # fmt: skip
        step = mix.steps.get(lane.track)
        digest.update(b"" if step is None else step.tobytes())
    return digest.hexdigest()
