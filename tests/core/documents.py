"""Random but valid documents and edits, for the properties that must always hold."""

from hypothesis import strategies as st

from pampa.core.rendition import Rendition
from pampa.core.timeline.document import Clip, Document, Marker, Track, check

FRAMES = 200_000


def as_recorded(document):
    """Every recording as it was recorded, on whatever track it lies."""
    lying = [(track, clip) for track in document.tracks for clip in track.clips]
    lying += [
        (document.track(piece.track), clip) for seam in document.seams for piece in seam.pieces for clip in piece.clips
    ]
    return {(track.id, clip.recording): Rendition(str(clip.recording)) for track, clip in lying}


@st.composite
def clips(draw, first_id, *, recording, in_step):
    """Clips in order; `in_step` ones come from their own time, as recordings of one conversation do."""
    place, found = draw(st.integers(0, 5000)), []
    for index in range(draw(st.integers(1, 5))):
        length = draw(st.integers(200, 30_000))
        fade_in = draw(st.sampled_from([0, 0, 50, length // 2]))
        source = place if in_step else draw(st.integers(0, FRAMES - length))
        found.append(
            Clip(
                first_id + index,
                recording,
                source,
                place,
                length,
                draw(st.sampled_from([0.0, -3.0])),
                fade_in,
                draw(st.sampled_from([0, 0, 80, length - fade_in])),
            )
        )
        place += length + draw(st.sampled_from([0, 0, 1, 4000]))
    return tuple(found)


@st.composite
def documents(draw):
    tracks = (
        Track(1, "Marisol Vey", "person", draw(clips(100, recording=1, in_step=True))),
        Track(2, "Anders Quill", "person", draw(clips(200, recording=2, in_step=True))),
        Track(3, "Theme", "music", draw(clips(300, recording=3, in_step=False)), pinned=draw(st.booleans())),
    )
    places = draw(st.lists(st.integers(0, 100_000), max_size=3))
    markers = tuple(Marker(400 + i, at) for i, at in enumerate(sorted(places)))
    return check(Document(tracks, markers=markers))


@st.composite
def ranges(draw, document):
    """A range that sometimes falls exactly on edges of clips, seams and markers."""
    edges = [0, document.length]
    for track in document.tracks:
        edges += [edge for clip in track.clips for edge in (clip.start, clip.end)]
    edges += [thing.at for thing in (*document.seams, *document.markers)]
    place = st.one_of(st.integers(0, document.length), st.sampled_from(edges))
    start, stop = sorted((draw(place), draw(place)))
    start = min(start, max(document.length - 48, 0))
    return start, max(stop, start + 48)


@st.composite
def documents_with_a_range(draw):
    document = draw(documents())
    return document, *draw(ranges(document))


def sound_of(document):
    """What is heard, whatever pieces it is divided into: (track, place, recording, source, gain) runs."""
    runs = []
    for track in document.tracks:
        last = None
        for clip in track.clips:
            joins = last and (last[2], last[4] + last[3], last[5]) == (clip.recording, clip.source, clip.gain_db)
            if joins and last[1] + last[3] == clip.start:
                last[3] += clip.length
            else:
                last = [track.id, clip.start, clip.recording, clip.length, clip.source, clip.gain_db]
                runs.append(last)
    return runs
