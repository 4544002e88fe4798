"""What benchmarks of the whole application share: a bin/demo on a data folder of its own, and visitors of it."""

import http.client
import os
import re
import shutil
import subprocess
import tempfile
import time
import urllib.parse
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

ROOT = Path(__file__).parent.parent


class Visitor:
    """A browser that keeps its cookies and gives up soon."""

    def __init__(self, port: int) -> None:
        self.port, self._cookies = port, {}

    def ask(
        self, method: str, address: str, form: dict[str, str] | None = None, body: bytes | None = None, **headers: str
    ):
        """Return status and text of an answer; 0 if there is none."""
        return self.answer(method, address, form, body, **headers)[:2]

    @property
    def cookie(self) -> str:
        """What a request says of who asks."""
        return "; ".join(f"{name}={value}" for name, value in self._cookies.items())

    def answer(
        self, method: str, address: str, form: dict[str, str] | None = None, body: bytes | None = None, **headers: str
    ):
        """Return status, text and headers of an answer; 0 if there is none."""
        connection = http.client.HTTPConnection("127.0.0.1", self.port, timeout=20)
        sent = {"Cookie": self.cookie, **headers}
        if form is not None:
            body, sent["Content-Type"] = urllib.parse.urlencode(form).encode(), "application/x-www-form-urlencoded"
        sent["X-CSRFToken"] = self._cookies.get("csrftoken", "")
        try:
            connection.request(method, address, body, sent)
            answer = connection.getresponse()
            text = answer.read().decode("utf-8", "replace")
        except (OSError, http.client.HTTPException):
            return 0, "", {}
        finally:
            connection.close()
        for line in answer.headers.get_all("Set-Cookie") or ():
            name, _, value = line.partition(";")[0].partition("=")
            self._cookies[name] = value
        return answer.status, text, answer.headers

    def sign_in(self) -> None:
        """Come in as the demo's user, as soon as one can."""
        for _ in range(100):
            self.ask("GET", "/accounts/login/")
            status, text = self.ask("POST", "/accounts/login/", {"login": "demo", "password": "lantern"})
            if status == 302:
                return
            time.sleep(0.3)
        raise RuntimeError(f"signing in was answered {status}: {re.sub('<[^>]+>', ' ', text)[-300:]}")


def processes(data: Path) -> dict[str, list[int]]:
    """Return the numbers of the processes of a data folder, by what they do."""
    found: dict[str, list[int]] = {"front": [], "web": [], "sound": [], "worker": [], "database": []}
    for folder in Path("/proc").iterdir():
        if not folder.name.isdecimal():
            continue
        try:
            command = (folder / "cmdline").read_bytes().replace(b"\0", b" ").decode()
            environ = (folder / "environ").read_bytes().decode("utf-8", "replace")
        except OSError:
            continue
        is_ours = f"HH_DATA_DIR={data}" in environ
        if is_ours and "gunicorn hallweb" in command:
            found["sound" if "HH_SERVES=sound" in environ else "web"].append(int(folder.name))
        elif command.startswith("nginx: master") and str(data) in command:  # its title stands over its environment
            found["front"].append(int(folder.name))
        elif is_ours and "procrastinate worker" in command:
            found["worker"].append(int(folder.name))
    pid = data / "postgres" / "postmaster.pid"
    if pid.exists():
        found["database"].append(int(pid.read_text().split()[0]))
    return found


@contextmanager
def demo(port: int, purpose: str, *, in_memory: bool = False) -> Iterator[Path]:
    """Run bin/demo until the block ends; return its data folder, to which this process's settings lead as well.

    in_memory: the folder is a disk of its own, of 12 GiB in memory.
    """
    data = Path(tempfile.mkdtemp(prefix=f"high-hall-{purpose}-", dir="/var/tmp"))
    if in_memory:
        subprocess.run(["mount", "-t", "tmpfs", "-o", "size=12g", "tmpfs", data], check=True)
    data.chmod(0o755)  # the database is another user's
    os.environ |= {"HH_PORT": str(port), "HH_DATA_DIR": str(data), "DJANGO_SETTINGS_MODULE": "hallweb.settings"}
    os.environ["HH_DB_PORT"] = str(port + 10000)
    running = subprocess.Popen([ROOT / "bin" / "demo"], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    try:
        visitor = Visitor(port)
        while visitor.ask("GET", "/ready/")[0] != 200:
            if running.poll() is not None:
                raise SystemExit("bin/demo did not start")
            time.sleep(1)
        yield data
    finally:
        running.terminate()
        running.wait()
        if in_memory:
            subprocess.run(["umount", "--lazy", data], check=True)
        shutil.rmtree(data, ignore_errors=True)
