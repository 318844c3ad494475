"""Starts the window on a job, prints when it was exposed and when its pictures were drawn (epoch s)."""

from __future__ import annotations

import sys
import time
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[1]))

from PySide6.QtWidgets import QApplication

from ledgecliff.app.main import make_window

application = QApplication(sys.argv[:1])
window = make_window()
window.show()
while not (window.windowHandle() and window.windowHandle().isExposed()):
    application.processEvents()
application.processEvents()
exposed = time.time()
window.files.open(Path(sys.argv[1]))
while window.files.busy() or window.document.plan is None or window.route.pictures_pending():
    application.processEvents()
print(exposed, time.time())
window.close()
