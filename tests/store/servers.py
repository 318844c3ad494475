"""A PostgreSQL server of the tests' own, from the system's package, in a folder that is thrown away.

Where the package is not installed the tests that need it are skipped, and say so.
"""

from __future__ import annotations

import atexit
import contextlib
import os
import pwd
import shutil
import signal
import socket
import subprocess
import tempfile
import time
import unittest
import uuid
from functools import cache
from pathlib import Path

#: So often a server is started anew.
_PATIENCE = 25


def _binary(name: str) -> str | None:
    found = sorted(Path("/usr/lib/postgresql").glob(f"*/bin/{name}"))
    return str(found[-1]) if found else shutil.which(name)


class Server:
    """On a free port of this computer; as root it runs as the user that Debian makes for it."""

    def __init__(self, password: str = "") -> None:
        self._as = ["setpriv", "--reuid=postgres", "--regid=postgres", "--clear-groups"] if os.geteuid() == 0 else []
        self.folder = Path(tempfile.mkdtemp(prefix="ledgecliff-postgres-"))
        if self._as:
            owner = pwd.getpwnam("postgres")
            os.chown(self.folder, owner.pw_uid, owner.pw_gid)
        with socket.socket() as free:
            free.bind(("127.0.0.1", 0))
            self.port = free.getsockname()[1]
        how = ["-U", "shop", "-E", "UTF8", "--locale=C", "--auth=scram-sha-256" if password else "--auth=trust"]
        if password:
            secret = self.folder / "secret"
            secret.write_text(password, encoding="utf-8")
            secret.chmod(0o644)
            how.append(f"--pwfile={secret}")
        self._more = {"PGPASSWORD": password} if password else {}
        self._do(_binary("initdb"), "-D", self.folder / "data", *how)
        self.start()
        atexit.register(self.throw_away)

    def _do(self, *words: object) -> None:
        subprocess.run(
            [*self._as, *map(str, words)], check=True, cwd="/", stdout=subprocess.DEVNULL, stderr=subprocess.STDOUT,
            env=os.environ | self._more,
        )  # fmt: skip

    def start(self) -> None:
        data, log = self.folder / "data", self.folder / "log"
        options = f"-p {self.port} -k {self.folder} -c listen_addresses=127.0.0.1"
        for patience in range(_PATIENCE):
            try:
                self._do(_binary("pg_ctl"), "-D", data, "-w", "-l", log, "-o", options, "start")
                break
            except subprocess.CalledProcessError:
                # What was killed a moment ago may still hold its memory.
                if patience == _PATIENCE - 1:
                    raise
                time.sleep(0.2)
        self.is_up = True

    def stop(self) -> None:
        self._do(_binary("pg_ctl"), "-D", self.folder / "data", "-m", "fast", "-w", "stop")

    def kill(self) -> None:
        """As a computer that loses its power: the server and all that it has begun."""
        lock = self.folder / "data" / "postmaster.pid"
        head = int(lock.read_text().splitlines()[0])
        children = Path(f"/proc/{head}/task/{head}/children").read_text().split()
        for each in (head, *map(int, children)):
            with contextlib.suppress(ProcessLookupError):
                os.kill(each, signal.SIGKILL)
        # Whoever has the killed ones for children may not have buried them yet, and their lock would count.
        lock.unlink()
        self.is_up = False

    def throw_away(self) -> None:
        with contextlib.suppress(subprocess.CalledProcessError):
            self.stop()
        shutil.rmtree(self.folder, ignore_errors=True)

    def fresh(self) -> str:
        """The URL of a database that nobody has begun."""
        name = f"shop_{uuid.uuid4().hex[:12]}"
        self._do(_binary("createdb"), "-h", "127.0.0.1", "-p", self.port, "-U", "shop", name)
        return f"postgresql+psycopg://shop@127.0.0.1:{self.port}/{name}"


@cache
def server() -> Server:
    """One for all tests of a process.  Raises SkipTest where there is none to be had."""
    if _binary("initdb") is None or _binary("pg_ctl") is None:
        raise unittest.SkipTest("PostgreSQL is not installed (Debian: postgresql); what is shared is not tested")
    return Server()
