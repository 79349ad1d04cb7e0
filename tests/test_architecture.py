"""The direction of imports, and other rules of the house that a machine can check."""

import ast
import subprocess
import sys
from pathlib import Path

import pytest

import pampa

ROOT = Path(pampa.__file__).parent
ALLOWED = {
    "core": {"core"},
    "store": {"core", "store"},
    "hosts": {"core", "hosts"},
    "mooring": {"mooring"},
    "one_file": {"core", "one_file"},
    "batch": {"core", "studio", "one_file", "batch"},
    "studio": {"core", "store", "hosts", "studio"},
    "web": {"core", "studio", "web"},
    "cli": {"core", "one_file", "studio", "batch", "web", "cli", "demo", "mooring"},
    "demo": {"core", "studio", "demo"},
}
MODULES = sorted(path for path in ROOT.rglob("*.py") if len(path.relative_to(ROOT).parts) > 1)


def imports_of(path):
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.Import):
            yield from (alias.name for alias in node.names)
        elif isinstance(node, ast.ImportFrom) and node.module:
            yield node.module


@pytest.mark.parametrize("path", MODULES, ids=lambda path: str(path.relative_to(ROOT)))
def test_imports_point_the_right_way(path):
    layer = path.relative_to(ROOT).parts[0]
    for name in imports_of(path):
        if name.startswith("pampa."):
            assert name.split(".")[1] in ALLOWED[layer], f"{layer} must not know {name}"


def test_the_core_knows_no_web_no_database_and_no_paths_outside_its_files():
    forbidden = {"fastapi", "starlette", "pydantic", "sqlalchemy", "jinja2", "uvicorn", "typer"}
    for path in (ROOT / "core").rglob("*.py"):
        names = {name.split(".")[0] for name in imports_of(path)}
        assert not names & forbidden, path
        if path.parent.name != "files":
            assert "pathlib" not in names, path


def test_arrays_are_read_where_one_thread_at_a_time_reads():
    readers = [path for path in MODULES if "np.load(" in path.read_text()]
    assert readers == [ROOT / "core" / "arrays.py"]


def test_the_packages_of_the_core_know_each_other_in_one_direction():
    knows = {}
    for path in (ROOT / "core").rglob("*.py"):
        package = path.relative_to(ROOT / "core").parts[0].removesuffix(".py")
        others = {name.split(".")[2] for name in imports_of(path) if name.startswith("pampa.core.")}
        knows.setdefault(package, set()).update(others - {package})
    while leaves := [package for package, others in knows.items() if not others & knows.keys()]:
        for package in leaves:
            del knows[package]
    assert not knows, f"these know each other in a circle: {knows}"


def test_routes_know_the_store_only_through_the_studio():
    for path in (ROOT / "web" / "routes").rglob("*.py"):
        assert not any(name.startswith("pampa.store") for name in imports_of(path)), path


def test_every_module_begins_with_what_it_is():
    for path in ROOT.rglob("*.py"):
        assert ast.get_docstring(ast.parse(path.read_text())), path


def test_no_file_grows_past_its_idea():
    for pattern in ("*.py", "*.js", "*.html"):
        for path in ROOT.rglob(pattern):
            if "vendor" not in path.parts:
                assert len(path.read_text().splitlines()) <= 450, path


def test_pages_load_nothing_from_elsewhere():
    for path in [*ROOT.rglob("*.html"), *(ROOT / "web" / "static" / "js").glob("*.js"), *ROOT.rglob("pampa.css")]:
        text = path.read_text()
        assert "https://" not in text, path
        assert "http://" not in text.replace("http://www.w3.org", ""), path


def test_the_migrations_make_the_tables_of_the_models(tmp_path):
    from alembic.autogenerate import compare_metadata
    from alembic.migration import MigrationContext

    from pampa.store.database import engine_for, migrate
    from pampa.store.models import Base

    engine = engine_for(tmp_path / "a.db")
    migrate(engine)
    with engine.connect() as connection:
        assert compare_metadata(MigrationContext.configure(connection), Base.metadata) == []


def test_migrations_keep_what_an_older_database_holds(tmp_path):
    """A show, an episode with a recording, and an upload that has been announced, from before there were larders."""
    from alembic import command
    from alembic.config import Config
    from sqlalchemy import text

    from pampa.store.database import MIGRATIONS, engine_for, open_database
    from pampa.store.models import Episode, Recording, Upload

    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    with engine_for(tmp_path / "a.db").begin() as connection:
        config.attributes["connection"] = connection
        command.upgrade(config, "0004")
        for row in (
            "INSERT INTO shows VALUES (1, 'Slack Water', 'Marisol Vey', 0, '2026-01-01')",
            "INSERT INTO episodes (id, show_id, title, number, archived, revision, position, choices, created)"
            " VALUES (1, 1, 'The Pilot Ladder', 12, 0, 0, 0, '{}', '2026-01-01')",
            "INSERT INTO recordings (id, episode_id, name, person, role, sha256, suffix, size, channels, drift_ppm,"
            " offset, state, error, placed, removed, facts, created)"
            " VALUES (1, 1, 'a', '', 'person', 'x', '', 1, 'auto', 0, 0, 'ready', '', 1, 0, '{}', '2026-01-01')",
            "INSERT INTO uploads VALUES ('u', 1, 'b.wav', 9, 4, 7, '2026-01-01')",
        ):
            connection.execute(text(row))
    with open_database(tmp_path / "a.db")() as session:
        assert session.get_one(Episode, 1).larder is False
        assert session.get_one(Recording, 1).rank == 0
        assert session.get_one(Upload, "u").details == {"after_track": 7}


def test_starting_does_not_wait_for_what_only_computing_needs():
    heavy = {"numba", "llvmlite", "av", "scipy.fft", "scipy.ndimage", "scipy.signal", "scipy.linalg"}
    say = "import sys; sys.dont_write_bytecode = True; import pampa.web.app; print(*sys.modules)"
    loaded = subprocess.run([sys.executable, "-c", say], capture_output=True, text=True, check=True).stdout.split()
    assert "pampa.core.mend.kernels" in loaded
    assert not heavy & set(loaded)


def test_a_file_comes_in_without_waiting_for_what_only_mending_needs(talk_file, tmp_path):
    say = (
        "import sys; sys.dont_write_bytecode = True; from pathlib import Path; from pampa.core.files.conform import "
        "conform; conform(Path(sys.argv[1]), Path(sys.argv[2])); print(*sys.modules)"
    )
    command = [sys.executable, "-c", say, str(talk_file(seconds=1)), str(tmp_path / "conformed")]
    loaded = subprocess.run(command, capture_output=True, text=True, check=True).stdout.split()
    assert "pampa.core.checkup.clipping" in loaded
    assert not {"numba", "llvmlite"} & set(loaded)
