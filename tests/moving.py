"""Made-up pictures for tests: each frame tells its number in black and white fields, with clicks at known moments."""

from fractions import Fraction

import av
import numpy as np

from pampa.core.sound import RATE

BITS = 16
SIDE = 8


def numbered(n, width=BITS * SIDE, height=48):
    """A frame that shows `n`: a row of fields, the highest bit first."""
    out = np.full((height, width, 3), 60, np.uint8)
    for bit in range(BITS):
        out[:SIDE, bit * SIDE : (bit + 1) * SIDE] = 255 * ((n % 65536) >> (BITS - 1 - bit) & 1)
    return out


def number_in(pixels):
    """The number that a frame shows, whatever size it has by now."""
    high, wide = pixels.shape[:2]
    grey = pixels[..., :3].mean(axis=2)
    places = [(int((bit + 0.5) * wide / BITS), int(high * SIDE / 48 / 2)) for bit in range(BITS)]
    return sum((grey[y, x] > 128) << (BITS - 1 - bit) for bit, (x, y) in enumerate(places))


def write_moving(path, seconds, *, fps=25, times=None, clicks=(), codec="libx264", size=None, sound=True):
    """A film of numbered frames at a rate, or at `times`; its sound is silent but for clicks, seconds."""
    rate = Fraction(fps).limit_denominator(1001)
    audio_codec = {".webm": "libopus"}.get(path.suffix, "aac")
    with av.open(str(path), "w") as out:
        video = out.add_stream("libvpx" if path.suffix == ".webm" else codec, rate=rate, options={"g": "50"})
        width, height = size or (BITS * SIDE, 48)
        video.width, video.height, video.pix_fmt = width, height, "yuv420p"
        video.time_base = video.codec_context.time_base = Fraction(1, 90_000)
        heard = out.add_stream(audio_codec, rate=RATE, layout="mono") if sound else None
        times = [n / rate for n in range(int(seconds * rate))] if times is None else times
        wave = np.zeros(int(seconds * RATE), np.float32)
        for at in clicks:
            first = round(at * RATE)
            wave[first : first + 240] = 0.7 * np.sin(np.arange(240) * 0.4)
        block = RATE // 10
        for n, at in enumerate(times):
            frame = av.VideoFrame.from_ndarray(numbered(n, width, height), format="rgb24").reformat(format="yuv420p")
            frame.pts, frame.time_base = round(at * 90_000), Fraction(1, 90_000)
            out.mux(video.encode(frame))
        out.mux(video.encode(None))
        if heard:
            for start in range(0, wave.size, block):
                piece = av.AudioFrame.from_ndarray(wave[None, start : start + block], format="fltp", layout="mono")
                piece.sample_rate, piece.pts, piece.time_base = RATE, start, Fraction(1, RATE)
                out.mux(heard.encode(piece))
            out.mux(heard.encode(None))
    return path


def turned(path, degrees):
    """Say in the header of an MP4 that it is to be seen turned clockwise, as telephones do (ISO 14496-12, 8.3.2)."""
    data = bytearray(path.read_bytes())
    at = data.index(b"tkhd") + 4
    one = 0x10000
    turns = {90: (0, one, -one, 0), 180: (-one, 0, 0, -one), 270: (0, -one, one, 0)}[degrees]
    matrix = np.array([turns[0], turns[1], 0, turns[2], turns[3], 0, 0, 0, 0x40000000], ">i4").tobytes()
    data[at + 40 : at + 40 + 36] = matrix
    path.write_bytes(data)
    return path
