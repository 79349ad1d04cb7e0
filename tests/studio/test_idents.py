"""Idents: small sheets whose sound is a piece of the larder, made again when they change."""

import pytest

from pampa.core.errors import EditRefused
from pampa.core.files.shelf import TALK
from pampa.core.sound import RATE
from tests.studio.test_larder import into_larder, names, show  # noqa: F401


def test_a_small_sheet_becomes_a_piece_and_again_when_it_has_changed(studio, episode, show, talk_file):  # noqa: F811
    sheet = studio.idents.begin(show, "Opening words")
    assert [e.title for e in studio.shows.episodes(show)] == ["The Pilot Ladder"]
    assert studio.shows.make_episode(show, "Next").number == studio.shows.episode(episode)[1].number + 1
    with pytest.raises(EditRefused, match="no sound on this sheet yet"):
        studio.idents.make(sheet.id)
    with pytest.raises(EditRefused, match="Only a small sheet"):
        studio.idents.make(episode)
    studio.recordings.add_file(sheet.id, talk_file("words.wav"), person="Marisol Vey", role="person")
    bell = into_larder(studio, show, talk_file("bell.wav", seconds=2, seed=3), "effects")
    studio.larder.use(bell, sheet.id, RATE)
    assert len(list((studio.settings.data / "conformed").glob(f"*/{TALK}"))) == 1
    assert [(i.name, i.piece) for i in studio.idents.of_show(show)] == [("Opening words", None)]
    studio.idents.make(sheet.id)
    studio.jobs.wait()
    [ident] = studio.idents.of_show(show)
    assert ident.current
    assert "Opening words" in names(studio.larder.search(show, "ident"))
    studio.larder.use(ident.piece, episode, 0)
    used = studio.editing.state(episode).document.tracks[-1].clips[0]
    assert used.length == studio.editing.state(sheet.id).document.length
    studio.editing.edit(sheet.id, "split", {"at": 4 * RATE})
    [changed] = studio.idents.of_show(show)
    assert not changed.current
    assert len(studio.idents.renew(show)) == 1
    studio.jobs.wait()
    assert studio.idents.renew(show) == []
    [again] = studio.idents.of_show(show)
    assert again.current
    assert again.piece != ident.piece
    assert names(studio.larder.search(show, "ident")) == ["Opening words"]
    assert studio.editing.state(episode).document.tracks[-1].clips[0] == used
