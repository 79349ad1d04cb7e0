"""What every page loads."""

import re

import pytest

from pampa.web import joined


def test_static_files_are_kept_for_ever_under_an_address_of_their_content(client):
    address = re.search(r'href="(/static/[0-9a-f]{12})/css/pampa.css"', client.get("/").text).group(1)
    style = client.get(f"{address}/css/pampa.css")
    assert (style.status_code, style.headers["cache-control"]) == (200, "public, max-age=31536000, immutable")
    assert client.get("/static/0123456789ab/css/pampa.css").status_code == 404
    assert "immutable" not in client.get("/static/css/pampa.css").headers.get("cache-control", "")


@pytest.mark.parametrize("page", joined.PAGES)
def test_a_page_has_one_script_of_all_its_modules_in_the_order_of_need(client, page):
    address = re.search(r'href="(/static/[0-9a-f]{12})/css/pampa.css"', client.get("/").text).group(1)
    script = client.get(f"{address}/joined/{page}.js")
    assert (script.status_code, script.headers["cache-control"]) == (200, "public, max-age=31536000, immutable")
    assert script.headers["content-type"].startswith("text/javascript")
    assert not re.search(r"^(import|export)\b", script.text, re.MULTILINE)
    made = re.findall(r"^const (\w+) = \(\(\) => \{$", script.text, re.MULTILINE)
    assert made[-1] == f"module_{page}"
    assert len(set(made)) == len(made) > 2
    for name in set(re.findall(r"= (module_\w+);$", script.text, re.MULTILINE)):
        assert script.text.index(f"const {name} = (") < script.text.index(f"= {name};")


def test_only_pages_have_a_joined_script(client):
    address = re.search(r'href="(/static/[0-9a-f]{12})/css/pampa.css"', client.get("/").text).group(1)
    assert client.get(f"{address}/joined/api.js").status_code == 404


def test_modules_are_joined_with_what_they_export_and_other_names_for_it(tmp_path, monkeypatch):
    monkeypatch.setattr(joined, "JS", tmp_path)
    joined.joined.cache_clear()
    (tmp_path / "low-tide.js").write_text(
        "const at = 3;\nexport const half = at / 2;\nexport async function wait() {}\n"
    )
    (tmp_path / "desk.js").write_text('import { half as share, wait } from "./low-tide.js";\n\nwait(share);\n')
    assert joined.joined("desk") == (
        "// low-tide.js\nconst module_low_tide = (() => {\nconst at = 3;\nconst half = at / 2;\n"
        "async function wait() {}\n\nreturn { half, wait };\n})();\n"
        "// desk.js\nconst module_desk = (() => {\nconst { half: share, wait } = module_low_tide;\n\nwait(share);\n\n"
        "return {  };\n})();\n"
    )
    (tmp_path / "ebb.js").write_text("export default 3;\n")
    with pytest.raises(ValueError, match=r"ebb\.js cannot be joined: export default 3"):
        joined.joined("ebb")
    joined.joined.cache_clear()
