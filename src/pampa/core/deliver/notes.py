"""Show notes: Markdown from a pattern with fields, as safe HTML for a page and as plain text for a player."""

import re
from collections.abc import Sequence
from dataclasses import dataclass

from pampa.core.deliver.chapters import Timed, short_clock

USUAL = """{title}

With {people}.

{chapters}

{links}
"""
"""The pattern of a show that has none of its own."""
FIELDS = ("title", "number", "season", "show", "host", "date", "people", "chapters", "links", "length")
MOST = 20_000
SUMMARY = 400
TAGS = {"p", "br", "a", "em", "strong", "ul", "ol", "li", "h1", "h2", "h3", "h4", "blockquote", "code", "pre", "hr"}
"""What notes may hold; anything else, scripts above all, is left out."""


@dataclass(frozen=True)
class Told:
    """What is known of an episode for its notes."""

    title: str = ""
    show: str = ""
    host: str = ""
    number: int | None = None
    season: int | None = None
    date: str = ""
    people: Sequence[str] = ()
    chapters: Sequence[Timed] = ()
    duration_s: float = 0.0


def filled(pattern: str, told: Told) -> str:
    """The Markdown of a pattern with its fields filled in. What is no field stays as it is."""
    values = {
        "title": escaped(told.title), "show": escaped(told.show), "host": escaped(told.host),
        "number": "" if told.number is None else str(told.number),
        "season": "" if told.season is None else str(told.season), "date": told.date,
        "people": _in_words([escaped(name) for name in told.people]), "chapters": _chapters(told.chapters),
        "links": _links(told.chapters), "length": short_clock(told.duration_s),
    }  # fmt: skip
    text = re.sub(r"\{(\w+)\}", lambda found: values.get(found[1], found[0]), pattern[:MOST])
    return re.sub(r"\n{3,}", "\n\n", text).strip()


def to_html(markdown: str) -> str:
    """Safe HTML: what stands there as HTML is shown as text, and only harmless links are links."""
    import nh3

    html = _reader().render(markdown[:MOST])
    return str(nh3.clean(html, tags=TAGS, attributes={"a": {"href"}}, url_schemes={"http", "https", "mailto"}))


def to_text(markdown: str) -> str:
    """Plain text: links are followed by their address, list items by lines."""
    import html

    rendered = to_html(markdown)
    rendered = re.sub(r'<a href="([^"]*)"[^>]*>(.*?)</a>', _with_address, rendered)
    rendered = re.sub(r"<li>\s*(<p>)?", "– ", rendered)
    rendered = re.sub(r"(</p>)?\s*</li>\s*", "</li>", rendered)
    rendered = re.sub(r"<br\s*/?>|</(?:p|li|h\d|blockquote|pre)>", "\n", rendered)
    text = html.unescape(re.sub(r"<[^>]+>", "", rendered))
    return re.sub(r"\n{3,}", "\n\n", text).strip()


def to_summary(text: str, most: int = SUMMARY) -> str:
    """The first words of plain notes, in one line, cut between words."""
    line = " ".join(text.split())
    return line if len(line) <= most else line[: most - 1].rpartition(" ")[0].rstrip(" ,;:–") + "…"


def escaped(text: str) -> str:
    """Text that Markdown takes as it is written."""
    return re.sub(r"([\\`*_{}\[\]<>#|])", r"\\\1", text)


def _with_address(found: "re.Match[str]") -> str:
    address, words = found[1], found[2]
    return words if words in (address, address.removeprefix("mailto:")) else f"{words} ({address})"


def _in_words(names: Sequence[str]) -> str:
    return names[0] if len(names) == 1 else " and ".join(filter(None, [", ".join(names[:-1]), *names[-1:]]))


def _chapters(chapters: Sequence[Timed]) -> str:
    return "\n".join(f"- {short_clock(each.start_s)} {escaped(each.title)}" for each in chapters)


def _links(chapters: Sequence[Timed]) -> str:
    # Another bullet, so that it is a list of its own.
    return "\n".join(f"* [{escaped(each.title)}]({each.link})" for each in chapters if each.link)


def _reader():  # type: ignore[no-untyped-def]
    from markdown_it import MarkdownIt

    return MarkdownIt("commonmark", {"html": False, "breaks": True})
