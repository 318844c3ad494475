"""Starts the window on a job as a user does, and prints when it was seen, when the stage showed the job, when all of it
stood (epoch s), and what the process weighs then (MB)."""

from __future__ import annotations

import os
import sys
import time
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[1]))

from PySide6.QtWidgets import QApplication

from bench.waiting import wait_until
from ledgecliff.app.main import make_frame

application = QApplication(sys.argv[:1])
window = make_frame()
seen: list[float] = []
window.seen.connect(lambda: seen.append(time.time()))
window.show()
while not seen:
    application.processEvents()
window.furnish()
desk = window.desk
desk.files.open(Path(sys.argv[1]))
wait_until(application, lambda: desk.document.plan is not None)
application.processEvents()
shown = time.time()
wait_until(application, lambda: not desk.files.busy() and not desk.following.busy())
done = time.time()
pages = int(Path("/proc/self/statm").read_text(encoding="ascii").split()[1])
print(seen[0], shown, done, pages * os.sysconf("SC_PAGE_SIZE") / 1e6)
window.close()
