"""What is said in made conversations: sentences with fillers, beginnings taken back, short answers, and decoys.

Sentences are of two kinds: of patterns written for this, in the manner of talk, and from the docstrings of Python's
own library, for the variety of their sounds. Each belongs to one of two parts by a hash of its words, so that what is
tried is never what was learned.
"""

import ast
import re
import sysconfig
from functools import cache
from pathlib import Path
from zlib import crc32

import numpy as np

from training.engines import Run

Random = np.random.Generator
SLOTS = {
    "who": "my brother|the captain|her mother|the old baker|a friend of mine|the doctor|our neighbour|the "
        "driver|a young woman|the gardener|nobody|everybody|the teacher|two students|the people upstairs|his "
        "sister|somebody from the office",
    "did": "went home|called me back|sold the boat|painted the door|fixed the engine|asked for help|lost the "
        "key|made soup|waited outside|closed the shop|wrote a letter|walked along the river|kept the "
        "money|opened the window|told me the truth|laughed at it|found another way|took the early train|cut "
        "the rope|moved to the coast",
    "where": "in the kitchen|behind the station|at the end of the road|on the roof|near the harbour|under the "
        "bridge|in a small town|by the fire|over the hill|in the back of the car|at the market|next to the "
        "school",
    "when": "last winter|in the morning|after the storm|on a Sunday|before dawn|three years ago|that same "
        "evening|late at night|in the spring|around noon|the day after|once a month",
    "thing": "a ladder|the radio|an umbrella|the map|a bag of apples|the blue coat|an orange|the whole thing|a "
        "wooden box|the garden|a summer job|the error|an early start|the other half|a good lamp|the first "
        "chapter|her album",
    "is": "is hard to explain|was never finished|is what I remember|was cheaper than we thought|is all that "
        "matters|was full of water|is older than this house|was the best part of it|is further away than it "
        "looks|was gone by then",
    "i": "I|we|they|she|he|you",
    "think": "thought|said|knew|heard|believed|hoped|told them|understood",
    "how": "slowly|very carefully|without a word|in a hurry|for hours|as well as anyone|again and again|by hand",
}  # fmt: skip
PATTERNS = (
    "{who} {did} {where}.|And {who} {did} {when}.|{when}, {who} {did}.|I was {where} when {who} {did}.|But "
    "{thing} {is}.|{i} {think} that {who} {did}.|So {i} took {thing} and {did}.|That is why {i} never {did} "
    "{where}.|What {i} {think} was that {thing} {is}.|If you go there {when}, {thing} {is}.|{who} {did} {how},"
    " and then {i} {did}.|How did {who} find {thing} {where}?|Where does {thing} come from?|When was that, "
    "{when}?|It took {i} a long time to see {thing}.|There was {thing} {where}, and {who} {did}.|Because "
    "{thing} {is}, {i} {did}.|You can hear it {when}.|Not every day, but {when} {i} {did}.|It is not about "
    "{thing} at all.|Nobody {think} that {thing} {is}.|Every time {i} {did}, {who} {did}.|And what happened "
    "{when}?|Tell me about {thing}.|The first thing {i} {think} was {thing}.|They never asked {who} about "
    "{thing}.|We had {thing} {where} for years.|Maybe {thing} {is}, maybe not.|As soon as {who} {did}, {i} "
    "{did} as well.|Only {who} could do that {how}.|Some of it was {where}, and some of it {is}."
)
DECOYS = (
    "You know him better than I do.|Do you know the way?|I mean it, every word.|That is what I mean by work.|I"
    " like it here.|It looks like rain.|She sings like a bird.|We like to walk.|Her hum is low and long.|Come "
    "home, some of us are hungry.|The sum was wrong.|The earth was warm.|Were they early?|An umbrella under an"
    " arm.|The the is a word, a band, a joke.|No lights, no answer.|Push and wait. Push and wait.|Very, very "
    "slowly.|Again and again and again.|Day after day, year after year.|Bit by bit, step by step.|It was late."
    " It was very late.|More and more people came.|He had had enough.|That that is, is.|Oh, what a long, long "
    "road.|Err on the side of care.|Some summers are calm.|I was cold, I was tired, I was happy.|We came, we "
    "saw, we left.|Left, right, left, right.|Ours was a smaller number.|Up and up it went.|Much, much "
    "better.|What they know, they know.|So it was, so it is.|Row by row, room by room.|A long hum, a drum, a "
    "thumb.|Her other mother. Her other brother.|Um is not a word, they say."
)
SENSES = (
    "{i} know {who} better than that.|Do you know who {did} {when}?|How do you know when {thing} {is}?|You know that "
    "{who} {did}.|As far as you know, {who} {did}.|If you know {who}, you know {thing} {is}.|Let me know when {who} "
    "{did}.|You never know what {who} {think}.|You know more about {thing} than I do.|All you know is that {thing} "
    "{is}.|What you know {when} is not what you knew {where}.|You know the way {where}.|{i} would like {thing}, "
    "please.|It looks like {thing}.|I like that {who} {did}.|It was like {thing} {where}.|{who} {did} like "
    "{who}.|Things like that happen {when}.|I like {thing} a lot.|It feels like {when}.|We do not like it "
    "{where}.|There is nothing like {thing}.|It sounded like {thing}, like {thing}.|More like {thing}, I {think}.|I "
    "mean that {thing} {is}.|What do you mean, {thing} {is}?|I mean {thing}, not {thing}.|It does not mean that {who}"
    " {did}.|What I mean by that is {thing}.|I mean to ask {who} about {thing}.|You mean {who} {did} {where}?|I mean "
    "what I {think} {when}.|{who} is never {where}.|I never remember {thing}.|She hung {thing} on the wall "
    "{where}.|One of them {did}, the other one never {did}.|Some of us remember {thing}.|Her father and her mother "
    "{did}.|It was a number of others who {did}.|Her error was {thing}.|The summer was over {when}.|There were a "
    "hundred of them {where}.|Once upon a time {who} {did}.|Among the others, {who} {did}.|Sir, {thing} "
    "{is}.|Whatever comes, comes {when}.|Earlier, in the third hour, {who} {did}.|Are they under {thing}, or over "
    "there?|A lot of people {did}.|It is up to {who}, or up to us."
)
"""Sentences with words that fill elsewhere, and with sounds that pass for a filler."""
TWICE = (
    "{who} {did}|{thing} {is}|{i} {did}|not {when}|it {is}|{did}|push and wait|over and over|come on|{when}|not "
    "yet|no way|wait for it|{thing}|so slowly|{i} {think} so|nothing|look|stop|a little more|{where}|not {how}"
)
"""What may be said twice on purpose."""
WAYS = (
    "{x}. {x}.|{x}! {x}!|{x}, {x}.|{x}, and {x}.|{x}? {x}?|{x}. And then, {x}.|{x}, {x}, {x}.|{x}. Really, {x}.|{x} "
    "and {x}, {i} {think}.|{x}. {x}. And that was it."
)
ANSWERS = (
    "Yes.|No.|Not really.|Too late.|Of course.|And does it work?|Absolutely not.|Three times.|In March.|What "
    "for?|Who was that?|Oh, never.|Both.|Twice, I think.|At night?|Why not?|Good point.|That one?|Ha.|Wait.|My"
    " mother.|Every day.|Is it?|How far?|On purpose?|Still?|Already?|Wow, really?|From where?|Nobody."
)
AGREE = ("Mm-hm.", "Yeah.", "Right.", "Okay.", "Sure.", "Uh-huh.", "I see.", "Yes.", "Mm.", "Exactly.", "True.", "Oh.")
AGREE_SIGNS = {
    "Mm-hm.": (("mᵊmhˈm", "mhˈm", "ˈmmhm", "əmhˈəm", "nhˈn"), ("mˈmhˌm", "mhˈm", "ˈmhm", "əmhˈəm", "mːhmː")),
    "Uh-huh.": (("ʌhˈʌ", "əhˈə", "ʌnhˈʌn", "ˈʌhʌ"), ("ʌhˈʌ", "əhˈə", "ʌnhˈʌn", "ˈʌhʌ")),
    "Mm.": (("mːm", "mmm", "ˈm"), ("mːm", "mm", "ˈmː")),
}
FILLERS = ("um", "uh", "er")
PHRASES = ("you know", "like", "I mean")
SHARES = (0.3, 0.3, 0.16, 0.09, 0.07, 0.08)
FILLER_SIGNS = {
    "um": (("ʌm", "əm", "ʌːm", "ʌmː"), ("ʌm", "əm", "ʌːm", "ʌmː")),
    "uh": (("ʌ", "ə", "ʌː", "əː"), ("ʌ", "ə", "ʌː", "əː")),
    "er": (("ɜɹ", "ɜː", "ɜːɹ"), ("ɜː", "ɜːː", "ɜ")),
}
"""For Kokoro, and for Piper; the same with AGREE_SIGNS."""


KINDS = {"pattern": 0.42, "prose": 0.26, "sense": 0.15, "twice": 0.08, "decoy": 0.05, "answer": 0.04}
"""How often a sentence is of a kind."""
AMID = 0.6
"""How often somebody who begins anew breaks off amid a sentence, with a voice that would have gone on: then nothing is
drawn out and nothing falls as at an end (Levelt, Monitoring and self-repair in speech, Cognition 14, 1983)."""


@cache
def prose() -> list[str]:
    """Sentences of docstrings that are made of plain words."""
    found = []
    for path in sorted(Path(sysconfig.get_path("stdlib")).glob("*.py")):
        for node in ast.walk(ast.parse(path.read_text(errors="ignore"))):
            if isinstance(node, ast.FunctionDef | ast.ClassDef | ast.Module | ast.AsyncFunctionDef):
                text = " ".join((ast.get_docstring(node) or "").split())
                for each in re.split(r"(?<=[.?!]) ", text):
                    if re.fullmatch(r"[A-Z][a-z]*( [a-z]+,?){4,13}[.?!]", each):
                        found.append(each)
    return sorted(set(found))


def part_of(sentence: str) -> str:
    """Which part a sentence belongs to; judges learn from the same ones as the network, said by others."""
    return "tried" if crc32(sentence.lower().encode()) % 5 == 0 else "learned"


def sentence(rng: Random, part: str) -> str:
    while True:
        kind = str(rng.choice([*KINDS], p=[*KINDS.values()]))
        if kind == "prose":
            text = str(rng.choice(prose()))
        elif kind == "twice":
            once = _filled_in(rng, str(rng.choice(TWICE.split("|"))))
            text = _filled_in(rng, str(rng.choice(WAYS.split("|"))).replace("{x}", once))
        else:
            every = {"pattern": PATTERNS, "sense": SENSES, "decoy": DECOYS, "answer": ANSWERS}[kind]
            text = _filled_in(rng, str(rng.choice(every.split("|"))))
        text = re.sub(r"(^|[.?!] )([a-z])", lambda m: m[1] + m[2].upper(), text)
        if kind in ("decoy", "answer") or (part_of(text) == "tried") == (part == "tried"):
            return text


def _filled_in(rng: Random, text: str) -> str:
    while "{" in text:
        text = re.sub(r"\{(\w+)\}", lambda m: str(rng.choice(SLOTS[m[1]].split("|"))), text, count=1)
    return text


def filler(rng: Random, engine: str) -> Run:
    word = str(rng.choice((*FILLERS, *PHRASES), p=SHARES))
    if word in PHRASES:
        return Run("phrase", word + ("," if rng.random() < 0.6 else ""))
    return Run("filler", word, signs_of(rng, word, engine))


def signs_of(rng: Random, word: str, engine: str) -> str:
    """One of the ways in which a noise is said, for the engines that take signs; nothing for others."""
    ways = (FILLER_SIGNS | AGREE_SIGNS).get(word)
    return str(rng.choice(ways[engine == "joe"])) if ways and engine in ("kokoro", "joe") else ""


def line(rng: Random, part: str, engine: str, fillers: float, restarts: float = 0.3) -> list[Run]:
    """A sentence as somebody says it: the runs of it. Commas after a run ask for a moment of pause."""
    text = sentence(rng, part)
    words = text.split()
    runs: list[Run] = []
    if rng.random() < restarts and len(words) >= 4 and engine in ("kokoro", "joe", "flite", "espeak"):
        runs = _taken_back(rng, words, engine)
    else:
        runs = [Run("speech", text)]
    if rng.random() < fillers:
        runs = _with_filler(rng, runs, engine)
        if rng.random() < 0.15:
            runs = _with_filler(rng, runs, engine)
    return runs


def _with_filler(rng: Random, runs: list[Run], engine: str) -> list[Run]:
    which = int(rng.choice([n for n, run in enumerate(runs) if run.kind == "speech"]))
    words = runs[which].text.split()
    at = int(rng.choice((0, len(words), int(rng.integers(len(words) + 1))), p=(0.35, 0.1, 0.55)))
    own = [Run("speech", " ".join(words[:at]))] if at else []
    rest = [Run("speech", " ".join(words[at:]))] if at < len(words) else []
    return [*runs[:which], *own, filler(rng, engine), *rest, *runs[which + 1 :]]


def _taken_back(rng: Random, words: list[str], engine: str) -> list[Run]:
    start = 0 if rng.random() < 0.65 else int(rng.integers(0, max(len(words) - 3, 1)))
    manner = rng.choice(("word", "phrase", "in a word", "otherwise"), p=(0.3, 0.34, 0.26, 0.1))
    most = len(words) - start - 1
    count = 1 if manner == "word" else int(min(rng.integers(2, 6), most))
    if manner == "in a word":
        count = int(min(rng.integers(1, 5), most))
    tried = words[start : start + max(count, 1)]
    tried[-1] = tried[-1].rstrip(",.;")
    amid = rng.random() < AMID
    cut = manner == "in a word" and len(tried[-1]) >= 3 and engine in ("kokoro", "joe")
    if manner == "in a word" and not amid and not cut and len(tried[-1]) >= 3 and engine == "flite":
        tried[-1] = tried[-1][: max(2, len(tried[-1]) // 2)]
    if manner == "otherwise":  # begun again, and gone on with otherwise
        tried = tried[: max(1, len(tried) - 1)] + str(rng.choice(SLOTS["thing"].split("|"))).split()[:2]
    runs = [Run("speech", " ".join(words[:start]))] if start else []
    if amid:
        on = " ".join(words[start + len(tried) :])
        runs.append(Run("restart", " ".join(tried), cut=manner == "in a word", on=on or words[-1]))
    else:
        end = rng.choice(("", ",", "—" if engine == "kokoro" else "-"), p=(0.5, 0.3, 0.2)) if not cut else ""
        runs.append(Run("restart", " ".join(tried) + str(end), cut=cut))
    if rng.random() < 0.25:
        runs.append(filler(rng, engine))
    return [*runs, Run("speech", " ".join(words[start:]))]
