"""A short film for the sample, drawn by code: the harbour, its tide gauge, a boat, and a clapper that shuts."""

from pathlib import Path

import av
import numpy as np
from PIL import Image, ImageDraw

from pampa.demo.synthesis import Mono, band, coloured_noise

WIDTH, HEIGHT, FPS, RATE = 640, 360, 25, 48_000
SECONDS, CLAP_S = 24, 2.0
SEED = 1111
SKY, SEA, PIER = (226, 218, 196), (58, 104, 112), (84, 70, 56)
GAUGE, MARK, BOAT = (247, 243, 232), (28, 51, 47), (152, 74, 40)
SHUT_S = 0.12
"""How long the clapper takes to shut: it is shut in the frame in which it is heard."""


def quay(path: Path) -> None:
    """Write the film as MP4: 25 frames a second, and the sound of the quay with one clap."""
    sound = _sound()
    with av.open(str(path), "w", options={"movflags": "+faststart"}) as out:
        video = out.add_stream("libx264", rate=FPS, options={"preset": "veryfast", "crf": "26"})
        video.width, video.height, video.pix_fmt = WIDTH, HEIGHT, "yuv420p"
        heard = out.add_stream("aac", rate=RATE, layout="mono")
        back = _background()
        each = RATE // FPS
        for n in range(SECONDS * FPS):
            frame = av.VideoFrame.from_image(_drawn(back, n / FPS))
            frame.pts = n
            out.mux(video.encode(frame))
            piece = av.AudioFrame.from_ndarray(sound[None, n * each : (n + 1) * each], format="fltp", layout="mono")
            piece.sample_rate, piece.pts = RATE, n * each
            out.mux(heard.encode(piece))
        out.mux(video.encode(None))
        out.mux(heard.encode(None))


def _background() -> Image.Image:
    image = Image.new("RGB", (WIDTH, HEIGHT), SKY)
    draw = ImageDraw.Draw(image)
    draw.polygon([(0, 190), (120, 168), (260, 180), (400, 160), (640, 186), (640, 200), (0, 200)], fill=(150, 156, 140))
    draw.rectangle((500, 150, WIDTH, 176), fill=PIER)
    for x in range(512, WIDTH, 36):
        draw.rectangle((x, 176, x + 9, HEIGHT), fill=PIER)
    draw.rectangle((452, 96, 476, HEIGHT), fill=GAUGE)
    for n in range(12):
        draw.rectangle((452, 104 + 22 * n, 464 if n % 2 else 470, 107 + 22 * n), fill=MARK)
    return image


def _drawn(back: Image.Image, at: float) -> Image.Image:
    image = back.copy()
    draw = ImageDraw.Draw(image)
    level = 250 - 24 * np.sin(2 * np.pi * at / 60) - 2 * np.sin(2 * np.pi * at / 3.1)
    draw.rectangle((0, level, WIDTH, HEIGHT), fill=SEA)
    for n in range(9):
        x = (n * 83 + at * 14) % (WIDTH + 60) - 60
        draw.line((x, level + 10 + 11 * n, x + 36, level + 10 + 11 * n), fill=(96, 140, 146), width=2)
    x = 40 + 11 * at
    draw.polygon([(x, level - 8), (x + 96, level - 8), (x + 80, level + 12), (x + 14, level + 12)], fill=BOAT)
    draw.rectangle((x + 28, level - 32, x + 62, level - 8), fill=GAUGE)
    if at < CLAP_S + 1.2:
        _clapper(draw, at)
    return image


def _clapper(draw: ImageDraw.ImageDraw, at: float) -> None:
    """A slate whose upper bar falls onto it."""
    left, top, wide = 190, 130, 180
    draw.rectangle((left, top, left + wide, top + 100), fill=MARK)
    draw.text((left + 14, top + 40), "SLACK WATER  11", fill=GAUGE)
    lift = 70 * min(max((CLAP_S - at) / SHUT_S, 0), 1)
    draw.polygon(
        [(left, top - 4), (left + wide, top - 4 - lift), (left + wide, top - 22 - lift), (left, top - 22)], fill=GAUGE
    )
    for n in range(0, 6, 2):
        low, high = n / 6, (n + 1) / 6
        draw.polygon(
            [(left + wide * low, top - 4 - lift * low), (left + wide * high, top - 4 - lift * high),
             (left + wide * high, top - 22 - lift * high), (left + wide * low, top - 22 - lift * low)], fill=MARK,
        )  # fmt: skip


def _sound() -> np.ndarray:
    rng = np.random.default_rng(SEED)
    t = np.arange(SECONDS * RATE) / RATE
    water: Mono = band(coloured_noise(rng, t.size, 4.0), 80, 3000, rate=RATE)
    water *= 0.02 * (1 + 0.5 * np.sin(2 * np.pi * 0.31 * t)) / np.sqrt(np.mean(water**2))
    first = round(CLAP_S * RATE)
    clap = rng.standard_normal(RATE // 8) * np.exp(-np.arange(RATE // 8) / 500)
    water[first : first + clap.size] += 0.5 * clap / np.abs(clap).max()
    return np.clip(water, -0.99, 0.99).astype(np.float32)
