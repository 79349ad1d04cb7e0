"""A mooring as a place: files go there in pieces by the open protocol tus 1.0.0, the feed in one request."""

import base64
import hashlib
import json
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, datetime
from email.utils import parsedate_to_datetime
from pathlib import Path
from typing import TYPE_CHECKING, Any
from urllib.parse import quote

from pampa.core.errors import HostError
from pampa.hosts.host import PIECE, Standing, Told, utc_now

if TYPE_CHECKING:
    import httpx

TUS = "1.0.0"
WAIT_S = 20.0
TOLD = {
    401: "The mooring does not take this token any more, or it is a wrong one. Set the one that it tells at its start.",
    403: "The mooring does not let this token do that.",
    404: "There is nothing at that address of the mooring.",
    409: "The mooring refuses: {why}",
    412: "The feed was changed by somebody else meanwhile. Nothing was published; try again.",
    413: "The mooring takes no files as large as this.",
    460: "What arrived at the mooring was not what was sent. It was dropped there; try again.",
    507: "The mooring has no room left. Nothing was published; make room there, and try again.",
}
AGAIN = (460,)


class Moored:
    """A place that is a mooring. address : where it listens. show : the name under which it keeps the show."""

    keeps_back = True

    def __init__(self, address: str, show: str, token: str) -> None:
        import httpx

        self._base, self._show = address.rstrip("/"), quote(show)
        self._client = httpx.Client(
            headers={"Authorization": f"Bearer {token}", "Tus-Resumable": TUS}, timeout=WAIT_S, trust_env=False
        )

    def standing(self) -> Standing:
        answer = self._ask("GET", "")
        told = answer.json()
        feed = told["feed"].encode() if told["feed"] else None
        return Standing(feed, answer.headers["ETag"], tuple(told["drafts"]), _clock(answer))

    def put(self, path: Path, name: str, told: Told) -> None:
        size = path.stat().st_size
        sent = self._offset(name)
        if sent is None:
            with path.open("rb") as file:
                sha256 = hashlib.file_digest(file, "sha256").hexdigest()
            facts = {"filename": name, "sha256": sha256}
            metadata = ",".join(f"{key} {base64.b64encode(value.encode()).decode()}" for key, value in facts.items())
            self._ask("POST", "/files", headers={"Upload-Length": str(size), "Upload-Metadata": metadata})
            sent = 0
        told(sent)
        with path.open("rb") as file:
            file.seek(sent)
            while sent < size:
                headers = {"Upload-Offset": str(sent), "Content-Type": "application/offset+octet-stream"}
                answer = self._ask("PATCH", f"/files/{quote(name)}", content=file.read(PIECE), headers=headers)
                sent = int(answer.headers["Upload-Offset"])
                told(sent)

    def put_feed(self, feed: bytes, drafts: tuple[str, ...], before: Standing) -> None:
        body = json.dumps({"feed": feed.decode(), "drafts": list(drafts)})
        self._ask("PUT", "", content=body, headers={"If-Match": before.mark, "Content-Type": "application/json"})

    def remove(self, name: str) -> None:
        self._ask("DELETE", f"/files/{quote(name)}", fine=(404,))

    def address(self, name: str) -> str:
        return f"{self._base}/{self._show}/{quote(name)}"

    def close(self) -> None:
        self._client.close()

    def _offset(self, name: str) -> int | None:
        """How much of a file is there; None where nothing is known of it."""
        answer = self._ask("HEAD", f"/files/{quote(name)}", fine=(404,))
        return None if answer.status_code == 404 else int(answer.headers["Upload-Offset"])

    def _ask(self, method: str, path: str, *, fine: tuple[int, ...] = (), **more: Any) -> "httpx.Response":
        with self._telling():
            answer = self._client.request(method, f"{self._base}/api/shows/{self._show}{path}", **more)
        status = answer.status_code
        if status < 400 or status in fine:
            return answer
        told = TOLD.get(status, f"The mooring failed ({status}).").format(why=_why(answer))
        raise HostError(told, again=(status >= 500 and status != 507) or status in AGAIN)

    @contextmanager
    def _telling(self) -> Iterator[None]:
        import httpx

        try:
            yield
        except httpx.ConnectError as error:
            told = f"Nobody answers at {self._base}. Start the mooring (./pampa mooring), or mend its address."
            raise HostError(told, again=True) from error
        except httpx.TimeoutException as error:
            raise HostError(f"{self._base} did not answer within {WAIT_S:.0f} s.", again=True) from error
        except httpx.InvalidURL as error:
            raise HostError(f"“{self._base}” is no address of a mooring.") from error
        except httpx.HTTPError as error:
            raise HostError(f"The connection to {self._base} was cut.", again=True) from error


def _clock(answer: "httpx.Response") -> datetime:
    try:
        return parsedate_to_datetime(answer.headers["Date"]).astimezone(UTC)
    except (KeyError, TypeError, ValueError):
        return utc_now()


def _why(answer: "httpx.Response") -> str:
    try:
        return str(answer.json()["detail"])[:300]
    except (ValueError, KeyError, TypeError):
        return "it does not say why."
