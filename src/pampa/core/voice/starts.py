"""Starting points, named by what is wrong with a voice; and one amount that brings somebody nearer."""

from collections.abc import Mapping
from dataclasses import replace

from pampa.core.voice.recipe import Recipe

PLAIN = Recipe(body_db=0.0, presence_db=0.0)

STARTS: Mapping[str, Recipe] = {
    "plain": PLAIN,
    "boomy": replace(
        PLAIN, low_cut_hz=100.0, lows_db=-3.0, body_db=-4.0, body_hz=220.0, presence_db=1.5, bands=40.0
    ),
    "boxy room": replace(
        PLAIN, low_cut_hz=90.0, body_db=-2.0, middle_db=-4.0, middle_hz=550.0, middle_q=1.2, presence_db=2.0
    ),
    "thin call": replace(
        PLAIN, low_cut_hz=100.0, lows_db=4.0, lows_hz=220.0, body_db=2.0, upper_db=-2.0, ratio=2.0, warmth=60.0
    ),
    "sharp": replace(PLAIN, upper_db=-1.5, upper_hz=3400.0, presence_db=-2.0, bands=30.0, sibilance=80.0),
    "sleepy": replace(PLAIN, level=50.0, upper_db=2.0, presence_db=3.5, bands=30.0, ratio=3.5, warmth=30.0),
    "shouts and whispers": replace(PLAIN, level=100.0, bands=50.0, ratio=3.0),
}  # fmt: skip

NEAR_LOWS_DB, NEAR_BANDS, NEAR_RATIO, NEAR_SIBILANCE, NEAR_WARMTH = 2.5, 60.0, 3.0, 50.0, 40.0
LOW_CUT_HZ = 80.0


def nearer(recipe: Recipe, amount: float, fit: Recipe) -> Recipe:
    """A recipe that brings somebody nearer to a better microphone: 0 as recorded, 100 close by.

    It sets tone, bands, compressor, sibilance and warmth, and leaves the level as it is; each can be changed
    afterwards. fit : the recipe with its tone fitted to this voice. A voice close by has more in its lows, its tone
    hangs on every move, and its s is sharp.
    """
    share = amount / 100
    tone = {
        f"{band}_db": round(getattr(fit, f"{band}_db") * share * 2) / 2 for band in ("lows", "body", "middle", "upper",
                                                                                    "presence")
    }  # fmt: skip
    tone["lows_db"] = min(tone["lows_db"] + round(NEAR_LOWS_DB * share * 2) / 2, 12.0)
    return replace(
        fit, **tone, level=recipe.level, low_cut_hz=LOW_CUT_HZ if amount else 0.0, high_cut_hz=0.0,
        bands=round(NEAR_BANDS * share), ratio=round(1 + (NEAR_RATIO - 1) * share, 1),
        sibilance=round(NEAR_SIBILANCE * share), warmth=round(NEAR_WARMTH * share), nearer=amount,
    )  # fmt: skip
