"""The sample show's artwork, drawn by rule: a tide gauge at low water, and a boat with its ladder."""

import io

SIDE = 1500
SKY, HAZE, SEA, DEEP, WOOD, INK = "#e9dfc4", "#f3ead4", "#2f6f7e", "#1d4652", "#b5651d", "#16332e"


def artwork() -> bytes:
    """A JPEG file of 1500 pixels on a side."""
    from PIL import Image, ImageDraw

    picture = Image.new("RGB", (SIDE, SIDE), SKY)
    draw = ImageDraw.Draw(picture)
    draw.ellipse((900, 180, 1240, 520), fill=HAZE)
    draw.rectangle((0, 900, SIDE, SIDE), fill=SEA)
    for n, y in enumerate(range(960, SIDE, 90)):
        for x in range(-60 + 130 * (n % 2), SIDE, 260):
            draw.arc((x, y, x + 200, y + 70), 200, 340, fill=DEEP, width=10)
    # The gauge: a post with marks, every fifth one longer, wet up to where the water stood.
    draw.rectangle((330, 260, 450, 1260), fill=HAZE)
    draw.rectangle((330, 700, 450, 1260), fill=SKY)
    for n in range(20):
        y = 290 + n * 48
        draw.rectangle((330, y, 330 + (110 if n % 5 == 0 else 62), y + 14), fill=INK)
    draw.rectangle((320, 250, 460, 270), fill=WOOD)
    # A hull, and the pilot ladder down its side.
    draw.polygon([(760, 700), (1440, 620), (1500, 640), (1500, 1010), (860, 1010)], fill=INK)
    draw.rectangle((1130, 430, 1340, 650), fill=WOOD)
    for x in (930, 1010):
        draw.line((x, 690, x + 18, 1010), fill=HAZE, width=9)
    for n in range(8):
        y = 715 + n * 40
        draw.line((931 + n * 2, y, 1013 + n * 2, y), fill=HAZE, width=9)
    out = io.BytesIO()
    picture.save(out, "JPEG", quality=88)
    return out.getvalue()
