"""What every page loads."""

import re


def test_static_files_are_kept_for_ever_under_an_address_of_their_content(client):
    address = re.search(r'href="(/static/[0-9a-f]{12})/css/pampa.css"', client.get("/").text).group(1)
    style = client.get(f"{address}/css/pampa.css")
    assert (style.status_code, style.headers["cache-control"]) == (200, "public, max-age=31536000, immutable")
    assert client.get("/static/0123456789ab/css/pampa.css").status_code == 404
    assert "immutable" not in client.get("/static/css/pampa.css").headers.get("cache-control", "")
