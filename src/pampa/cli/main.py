"""The commands, by name. Heavy parts are imported by the command that needs them, so that each starts quickly."""

import gc
import os
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from json import dumps
from pathlib import Path
from typing import Annotated

import typer

app = typer.Typer(
    help="Pampa: from recorded talk to an episode.", no_args_is_help=True, add_completion=False,
    pretty_exceptions_enable=False,
)  # fmt: skip

DATA = Path(__file__).parents[3] / "data"
"""Beside the program, wherever it is called from."""

LOCAL = "127.0.0.1"

DataFolder = Annotated[Path, typer.Option("--data", help="Folder that holds everything.")]
Port = Annotated[int, typer.Option("--port", help="First port to try.", min=1, max=65535)]
Json = Annotated[bool, typer.Option("--json", help="Print JSON.")]


@contextmanager
def loading() -> Iterator[None]:
    """While a program loads nothing becomes garbage: a tenth of a start is not spent on looking for it."""
    gc.disable()
    yield
    gc.freeze()
    gc.enable()


@contextmanager
def refusals(*, as_json: bool) -> Iterator[None]:
    """What cannot be done is told as JSON where that was asked for, and ends with 2."""
    from pampa.core.errors import PampaError

    try:
        yield
    except PampaError as error:
        if not as_json:
            raise
        print(dumps({"error": str(error)}))
        raise typer.Exit(2) from None


@app.command()
def demo(
    data: DataFolder = DATA / "demo", port: Port = 8400,
    fresh: Annotated[bool, typer.Option("--fresh", help="Make the demo anew; what was done in it goes.")] = False,
) -> None:  # fmt: skip
    """Start Pampa with the sample episode. Your work in it is kept from one start to the next."""
    with loading():
        from pampa.cli.serving import serve_demo

    serve_demo(data, port, fresh=fresh)


@app.command()
def serve(
    data: DataFolder = DATA / "studio", port: Port = 8400,
    host: Annotated[str, typer.Option(help="Address to listen on; beyond this machine, a password is needed.")] = LOCAL,
    name: Annotated[list[str] | None, typer.Option(help="Name by which it is called from outside; repeatable.")] = None,
    behind_tls: Annotated[bool, typer.Option("--behind-tls", help="A proxy with TLS stands before it.")] = False,
    scheduler: Annotated[str, typer.Option(metavar="ADDRESS", help="A Dask scheduler whose workers do the jobs.")] = "",
) -> None:  # fmt: skip
    """Start Pampa with your own shows.

    Workers of a scheduler must see the data folder under the same path; what somebody listens to is made here.
    """
    with loading():
        from pampa.cli.serving import serve_studio

    serve_studio(data, host, port, names=name or [], behind_tls=behind_tls, scheduler=scheduler)


@app.command()
def mooring(
    data: Annotated[Path, typer.Option("--data", help="Folder that holds what is published there.")] = DATA / "mooring",
    port: Port = 8500,
) -> None:
    """Start a stand-in for a place that hosts episodes and their feed, to try publishing with."""
    with loading():
        from pampa.cli.serving import serve_mooring

    serve_mooring(data, port)


@app.command()
def episode(
    recordings: Annotated[list[Path], typer.Argument(metavar="RECORDING...")],
    out: Annotated[Path, typer.Option("--out", metavar="DIR", help="Where the finished files go.")],
    show: Annotated[str, typer.Option(metavar="DIR|NAME", help="A data folder, or a show of the usual one.")] = "",
    plan: Annotated[Path | None, typer.Option(metavar="FILE", help="JSON: what is wanted, who is where.")] = None,
    dry_run: Annotated[bool, typer.Option("--dry-run", help="Only tell what would be done.")] = False,
    json: Json = False,
) -> None:  # fmt: skip
    """Go straight through: line up, mend, prune silences, balance, music of the show, and make the wanted files.

    Words stay: nothing that is said is taken out unless the plan says so. Ends with 0; 3 when it is done and something
    needs a person, which is told; 2 when nothing could be made.
    """
    from pampa.cli.straight import make_episode

    with refusals(as_json=json):
        raise typer.Exit(make_episode(recordings, show, out, plan, dry=dry_run, as_json=json, standard=DATA / "studio"))


@app.command()
def batch(
    plan: Annotated[Path, typer.Argument(metavar="PLAN.toml")],
    scheduler: Annotated[str, typer.Option(metavar="ADDRESS", help="A Dask scheduler whose workers do it.")] = "",
    json: Json = False,
) -> None:  # fmt: skip
    """Work through many files and raw episodes, as a plan says; what was finished is not done again.

    A bad file is told and does not stop the rest. Ends with 0; 3 when something failed; 2 when nothing could be done.
    """
    from pampa.cli.batch import run_batch

    with refusals(as_json=json):
        raise typer.Exit(run_batch(plan, scheduler, as_json=json))


@app.command()
def password(data: DataFolder = DATA / "studio") -> None:
    """Set the password that is asked for from other machines."""
    from pampa.cli.serving import set_password

    set_password(data)


@app.command()
def backup(
    to: Annotated[Path, typer.Argument(metavar="DIR")], data: DataFolder = DATA / "studio", json: Json = False
) -> None:
    """Copy everything to another folder, also while Pampa runs. The same folder again: only what is new.

    Ends with 0; 3 when originals were missing or damaged, which are named; 2 when it could not be made.
    """
    from pampa.cli.keeping import back_up_folder

    raise typer.Exit(back_up_folder(data, to, as_json=json))


@app.command()
def restore(
    backup: Annotated[Path, typer.Argument(metavar="DIR")], data: DataFolder = DATA / "studio", json: Json = False
) -> None:
    """Make a data folder of a backup; never over another one. Ends with 0, 3 or 2 as `backup` does."""
    from pampa.cli.keeping import restore_folder

    raise typer.Exit(restore_folder(backup, data, as_json=json))


@app.command()
def lay_up(
    episode: Annotated[int, typer.Argument(help="Its number, as in the address of its page.")],
    to: Annotated[Path, typer.Argument(metavar="DIR")], data: DataFolder = DATA / "studio", json: Json = False,
) -> None:  # fmt: skip
    """Put all of an episode into one archive in a folder, for another Pampa or for later. Ends with 0, or 2."""
    from pampa.cli.keeping import lay_up_episode

    raise typer.Exit(lay_up_episode(data, episode, to, as_json=json))


@app.command()
def bring_back(
    archive: Annotated[Path, typer.Argument(metavar="ZIP")], data: DataFolder = DATA / "studio", json: Json = False
) -> None:
    """Take a laid-up episode in. Ends with 0; 3 when originals are missing in it, which are named; or 2."""
    from pampa.cli.keeping import bring_back_episode

    raise typer.Exit(bring_back_episode(data, archive, as_json=json))


@app.command()
def doctor(data: DataFolder = DATA / "studio", json: Json = False) -> None:
    """Look over database, originals and disk, in plain words. Changes nothing.

    Ends with 0 when all is well, 3 when something needs you, 2 when it could not be looked at.
    """
    from pampa.cli.keeping import examine_folder

    raise typer.Exit(examine_folder(data, as_json=json))


@app.command()
def measure(files: list[Path], json: Json = False) -> None:
    """Measure loudness and peaks of sound files by BS.1770-5."""
    from pampa.cli.measuring import measure_files

    raise typer.Exit(measure_files(files, as_json=json))


@app.command()
def deliver(
    source: Annotated[Path, typer.Argument(metavar="IN")], out: Annotated[Path, typer.Argument(metavar="OUT")],
    target: Annotated[float, typer.Option(help="Integrated loudness in LUFS.")] = -16.0,
    ceiling: Annotated[float, typer.Option(help="Highest true peak in dBTP.")] = -1.0,
    bitrate: Annotated[int | None, typer.Option(help="Of MP3, AAC and Opus, in kbit/s.")] = None,
    quality: Annotated[int | None, typer.Option(help="Of Vorbis, or of MP3 at a variable rate (0 is best).")] = None,
    bits: Annotated[int, typer.Option(help="Of WAV and FLAC: 16 or 24; of WAV 32, floating point.")] = 24,
    rate: Annotated[int | None, typer.Option(help="Sample rate in Hz, such as 44100.", min=8000, max=192000)] = None,
    broadcast: Annotated[bool, typer.Option("--broadcast", help="WAV says its loudness itself.")] = False,
    chapters: Annotated[Path | None, typer.Option(help="CSV or WebVTT with a chapter a row or cue.")] = None,
    title: str = "", show: str = "", json: Json = False,
) -> None:  # fmt: skip
    """Bring a file to its loudness: gain and limiter, nothing else. The format follows OUT's ending.

    Ends with 0 when the file, decoded again, is on target; 3 when the limiting allowed does not reach it (the
    best file is written, and why is said); 2 when nothing could be read or written.
    """
    with loading():
        from pampa.cli.delivering import deliver_file
        from pampa.core.compiled import load_lightly
        from pampa.one_file.delivering import Wanted, format_from, tags_from

        load_lightly()
    with refusals(as_json=json):
        fmt = format_from(bits=bits, kbit=bitrate, quality=quality, broadcast=broadcast)
        wanted = Wanted(target, ceiling, fmt, rate, tags_from(title, show, chapters))
        raise typer.Exit(deliver_file(source, out, wanted, as_json=json))


@app.command()
def level(
    source: Annotated[Path, typer.Argument(metavar="IN")], out: Annotated[Path, typer.Argument(metavar="OUT")],
    target: Annotated[float, typer.Option(min=-40, max=-5, help="Integrated loudness in LUFS.")] = -16.0,
    amount: Annotated[float, typer.Option(min=0, max=100, help="How far phrases come to one loudness.")] = 100.0,
    json: Json = False,
) -> None:  # fmt: skip
    """Bring every phrase of a file to one loudness, whoever speaks, and the file to its target under -1 dBTP.

    The gain moves by 12 dB a second at most and rests low in pauses. OUT has the length and rate of IN. Ends as
    `deliver` does.
    """
    from pampa.cli.levelling import level_file

    raise typer.Exit(level_file(source, out, target, amount, as_json=json))


@app.command()
def voice(
    source: Annotated[Path, typer.Argument(metavar="IN")], out: Annotated[Path, typer.Argument(metavar="OUT")],
    recipe: Annotated[str, typer.Option(metavar="FILE|NAME", help="A recipe file, or a starting point.")] = "plain",
    fitted: Annotated[bool, typer.Option("--fitted", help="Bring the tone near that of average speech.")] = False,
    nearer: Annotated[float | None, typer.Option(min=0, max=100, help="How much nearer to bring the person.")] = None,
    json: Json = False,
) -> None:  # fmt: skip
    """Treat a voice by a recipe: level, tone, bands, compressor, sibilance, warmth. OUT is as loud as IN, at 48 kHz.

    Starting points: plain, boomy, boxy room, thin call, sharp, sleepy, shouts and whispers. Ends as `deliver` does.
    """
    from pampa.cli.levelling import treat_file

    raise typer.Exit(treat_file(source, out, recipe, fit=fitted, near=nearer, as_json=json))


@app.command()
def align(
    reference: Path,
    files: list[Path],
    write: Annotated[Path | None, typer.Option(help="Folder for lined-up WAV files without drift.")] = None,
    json: Json = False,
) -> None:
    """Find where recordings lie on a reference, such as the call: offset, clock drift, breaks, confidence.

    reference_time = offset_s + local_time * (1 + drift_ppm * 1e-6). Ends with 0 when all belong to the
    reference, 3 when one does not, 2 when a file cannot be read.
    """
    from pampa.cli.aligning import align_files

    raise typer.Exit(align_files(reference, files, write, as_json=json))


@app.command()
def checkup(files: list[Path], json: Json = False) -> None:
    """Check recordings up: speech and floor, hum, clipping, drop-outs, bandwidth, and what is proposed.

    Ends with 0, or 2 when a file cannot be read; the others are told all the same.
    """
    from pampa.cli.checking import check_up_files

    raise typer.Exit(check_up_files(files, as_json=json))


@app.command()
def clean(
    source: Annotated[Path, typer.Argument(metavar="IN")], out: Annotated[Path, typer.Argument(metavar="OUT")],
    auto: Annotated[bool, typer.Option("--auto", help="Do what the check-up proposes.")] = False,
    noise: Annotated[float, typer.Option(min=0, max=100, help="How deep to lower the noise.")] = 0.0,
    hiss: Annotated[float | None, typer.Option(min=0, max=100, help="The same above 8 kHz, if other.")] = None,
    noise_from: Annotated[float | None, typer.Option(min=0, help="Where noise is alone begins, seconds.")] = None,
    noise_to: Annotated[float | None, typer.Option(min=0, help="Where it ends.")] = None,
    hum: Annotated[float, typer.Option(min=0, max=100, help="How much of the mains' hum to subtract.")] = 0.0,
    rumble: Annotated[float, typer.Option(min=0, max=100, help="How much of what lies under the voice to cut.")] = 0.0,
    clicks: Annotated[float, typer.Option(min=0, max=100, help="How much of clicks to take out.")] = 0.0,
    clipping: Annotated[float, typer.Option(min=0, max=100, help="How far to rebuild clipped tops.")] = 0.0,
    drop_outs: Annotated[float, typer.Option(min=0, max=100, help="Fill gaps in which sound is missing.")] = 0.0,
    gate: Annotated[float, typer.Option(min=0, max=100, help="How far to lower pauses.")] = 0.0,
    plosives: Annotated[float, typer.Option(min=0, max=100, help="How far to press thumps down.")] = 0.0,
    reverb: Annotated[float, typer.Option(min=0, max=100, help="How deep to lower the room's tail.")] = 0.0,
    breaths: Annotated[float, typer.Option(min=0, max=100, help="How far to lower breaths.")] = 0.0,
    sibilance: Annotated[float, typer.Option(min=0, max=100, help="How far to press sharp S down.")] = 0.0,
    phase: Annotated[bool, typer.Option("--phase", help="Turn the phase of a voice that leans.")] = False,
    polarity: Annotated[bool, typer.Option("--polarity", help="Turn the wave over.")] = False,
    json: Json = False,
) -> None:  # fmt: skip
    """Mend a recording into a new WAV or FLAC file. Amounts go from 0 to 100.

    With no amount the sound stays bit for bit as it was conformed. Ends with 0, or 2 when a file cannot be read.
    """
    from pampa.cli.cleaning import clean_file
    from pampa.core.mend.amounts import Amounts

    amounts = Amounts(
        polarity=polarity, clipping=clipping, hum=hum, rumble=rumble, clicks=clicks, plosives=plosives, noise=noise,
        drop_outs=drop_outs, gate=gate, hiss=hiss, reverb=reverb, breaths=breaths, phase=phase, noise_from=noise_from,
        noise_to=noise_to,
    )  # fmt: skip
    raise typer.Exit(clean_file(source, out, amounts, sibilance=sibilance, auto=auto, as_json=json))


@app.command("find")
def find_(
    files: Annotated[list[Path], typer.Argument(help="Lined up, one for each person.")],
    silence: Annotated[float, typer.Option(min=0.1, help="Silences longer than this are told, in seconds.")] = 1.2,
    least: Annotated[float, typer.Option("--confidence", min=0, max=1, help="Finds surer than this are told.")] = 0.5,
    json: Json = False,
) -> None:
    """Find what an editor may want to take out of a conversation: silences, fillers, breaths, restarts and more.

    Nothing is changed. Ends with 0, or 2 when a file cannot be read.
    """
    from pampa.cli.finding import find_in_files

    raise typer.Exit(find_in_files(files, silence, least, as_json=json))


@app.command()
def duck(
    speech: Annotated[Path, typer.Argument(metavar="SPEECH")],
    music: Annotated[Path, typer.Argument(metavar="MUSIC")],
    out: Annotated[Path, typer.Argument(metavar="OUT")],
    under: Annotated[float, typer.Option(min=0, max=40, help="How far it lies under the talk, in LU.")] = 14.0,
    depth: Annotated[float | None, typer.Option(min=0, max=60, help="Lower it by so many dB instead.")] = None,
    hold: Annotated[float, typer.Option(min=0, max=10, help="Shorter pauses keep it down, in seconds.")] = 0.5,
    json: Json = False,
) -> None:  # fmt: skip
    """Lay music under talk: it is down before the first word, held in short pauses, and comes back in longer ones.

    Both begin with OUT's first sample; OUT is as long as the longer one. Breaths and noises do not set it off. Ends
    with 0, or 2 when something cannot be read or written.
    """
    from pampa.cli.ducking import duck_file
    from pampa.core.mix.distance import Under

    with refusals(as_json=json):
        raise typer.Exit(duck_file(speech, music, out, Under(under, hold), depth, as_json=json))


@app.command()
def beats(file: Annotated[Path, typer.Argument(metavar="FILE")], json: Json = False) -> None:
    """Find tempo, beats and bars of music. Music without a steady beat has none.

    Ends with 0, or 2 when the file cannot be read.
    """
    from pampa.cli.music import tell_beats

    with refusals(as_json=json):
        raise typer.Exit(tell_beats(file, as_json=json))


@app.command()
def fit(
    source: Annotated[Path, typer.Argument(metavar="MUSIC")], out: Annotated[Path, typer.Argument(metavar="OUT")],
    length: Annotated[float, typer.Option(min=0.1, max=36000, help="How long it is to last, in seconds.")],
    json: Json = False,
) -> None:  # fmt: skip
    """Make music last as long as asked: it jumps from beat to beat, and begins and ends as it did.

    Ends with 0, or 2 when it cannot be made to last that long: what is possible is said, and nothing is written.
    """
    from pampa.cli.music import fit_file

    with refusals(as_json=json):
        raise typer.Exit(fit_file(source, out, length, as_json=json))


@app.command()
def warm() -> None:
    """Compile the computing loops; set-up does this once."""
    from pampa.cli.warming import warm_up

    warm_up()


@app.command()
def compare(
    here: Annotated[Path, typer.Argument(metavar="A")], there: Annotated[Path, typer.Argument(metavar="B")],
    json: Json = False,
) -> None:  # fmt: skip
    """Tell what differs between two files of one programme: figures, what is only in one, what is louder or softer."""
    with loading():
        from pampa.cli.comparing import compare_files

    with refusals(as_json=json):
        raise typer.Exit(compare_files(here, there, as_json=json))


def run() -> None:
    """Run a command; what a person can be told is told in a line, never as a trace."""
    from pampa.core.errors import PampaError

    # Nothing here plugs into Pydantic: what is installed is not searched for such a thing at every start.
    os.environ.setdefault("PYDANTIC_DISABLE_PLUGINS", "__all__")
    try:
        app()
    except PampaError as error:
        print(error, file=sys.stderr)
        sys.exit(2)
    except KeyboardInterrupt:
        sys.exit(130)


if __name__ == "__main__":
    run()
