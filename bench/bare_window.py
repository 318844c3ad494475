"""Opens an empty window of Qt and prints when it was exposed (epoch s): no program of ours comes up faster."""

from __future__ import annotations

import sys
import time

from PySide6.QtWidgets import QApplication, QMainWindow

application = QApplication(sys.argv[:1])
window = QMainWindow()
window.resize(1280, 800)
window.show()
while not (window.windowHandle() and window.windowHandle().isExposed()):
    application.processEvents()
application.processEvents()
print(time.time())
