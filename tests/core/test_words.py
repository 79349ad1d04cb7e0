"""Notes and artwork: fields filled in, scripts left out, pictures that can be used and those that cannot."""

import io

import pytest
from PIL import Image

from pampa.core.deliver.artwork import as_jpeg, examine_artwork
from pampa.core.deliver.chapters import Chapter, timed
from pampa.core.deliver.notes import USUAL, Told, filled, to_html, to_text
from pampa.core.errors import SignalError
from pampa.core.files.artwork_child import read_artwork

CHAPTERS = timed([Chapter(0, "Start"), Chapter(260, "<b>Rope</b>", "https://slackwater.example/rope")], 600)
PEOPLE = ["Marisol Vey", "Anders Quill"]
TOLD = Told("The Pilot *Ladder*", "Slack Water", "Marisol Vey", 12, 2, "2026-11-23", PEOPLE, CHAPTERS, 600.0)


def picture(width, height, kind="PNG", mode="RGB"):
    out = io.BytesIO()
    Image.new(mode, (width, height)).save(out, kind)
    return out.getvalue()


def test_a_pattern_is_filled_in_and_what_is_no_field_stays():
    text = filled("{number}/{season} {title} {unknown} {length}\n{people}\n{chapters}", TOLD)
    assert text.startswith("12/2 The Pilot \\*Ladder\\* {unknown} 10:00\nMarisol Vey and Anders Quill\n- 0:00 Start")
    assert filled("{people}", Told(people=["A", "B", "C"])) == "A, B and C"
    assert filled("{people}", Told()) == ""


def test_what_could_do_harm_is_shown_as_text_or_left_out():
    html = to_html(filled(USUAL, TOLD) + "\n<script>x</script> [bad](javascript:x) [good](https://a.example)")
    assert "<script" not in html
    assert "javascript:" not in html.replace("(javascript:x)", "")
    assert 'href="https://a.example"' in html
    assert "<b>" not in html


def test_plain_text_keeps_lines_and_addresses():
    text = to_text("# Title\n\n- one\n- two\n\n* [words](https://a.example)\n\n**bold** and <https://b.example>")
    assert text.splitlines() == [
        "Title",
        "",
        "– one",
        "– two",
        "",
        "– words (https://a.example)",
        "",
        "bold and https://b.example",
    ]


SQUARE = [(3000, "JPEG", "RGB"), (1500, "PNG", "RGBA"), (1400, "WEBP", "RGB"), (2000, "PNG", "P")]


@pytest.mark.parametrize(("side", "kind", "mode"), SQUARE)
def test_a_square_picture_is_used_as_a_jpeg_of_the_size_that_is_wanted(side, kind, mode):
    artwork, made = read_artwork(picture(side, side, kind, mode), 1400)
    assert artwork.findings == []
    with Image.open(io.BytesIO(made)) as small:
        assert (small.format, small.mode, small.size) == ("JPEG", "RGB", (1400, 1400))


def test_a_picture_of_another_shape_is_cut_to_its_middle_and_said():
    data = picture(8000, 100)
    found = examine_artwork(data).findings
    assert "not square" in found[0]
    assert "100 pixels on a side" in found[1]
    with Image.open(io.BytesIO(as_jpeg(data, 1400))) as middle:
        assert middle.size == (100, 100)


@pytest.mark.parametrize("data", [b"%PDF-1.7 ...", b"", b"GIF89a", picture(50, 50)[:60], b"<svg xmlns='x'/>"])
def test_what_is_no_picture_is_said_to_be_none(data):
    with pytest.raises(SignalError, match="choose a JPEG, PNG or WebP"):
        read_artwork(data, 1400)


def test_a_picture_of_too_many_pixels_is_not_opened():
    with pytest.raises(SignalError, match="more than can be used"):
        examine_artwork(picture(20_000, 5_000, mode="1"))
