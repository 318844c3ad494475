"""How hands go through the window: Enter presses what has the focus, Tab goes the way of the eyes, trapped nowhere."""

from __future__ import annotations

import itertools
from collections.abc import Iterable

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QAbstractButton, QAbstractItemView, QApplication, QPlainTextEdit, QWidget


def press_focused(window: QWidget) -> bool:
    """Enter on a button does what Space does; False where no button of the window has the focus."""
    button = window.focusWidget()
    if not isinstance(button, QAbstractButton) or not button.isEnabled():
        return False
    button.click()
    return True


def in_order(containers: Iterable[QWidget]) -> None:
    """Tab goes through the containers one after the other, in each in the order its widgets were made."""
    chain: list[QWidget] = []
    for container in containers:
        # A combo box's own list is another window.
        within = [each for each in (container, *container.findChildren(QWidget)) if each.window() is container.window()]
        chain += [each for each in within if each.focusPolicy() & Qt.FocusPolicy.TabFocus and each not in chain]
    for one, other in itertools.pairwise(chain):
        QWidget.setTabOrder(one, other)


def let_tab_through(window: QWidget) -> None:
    """Neither a table nor a text keeps Tab for itself."""
    for view in window.findChildren(QAbstractItemView):
        view.setTabKeyNavigation(False)
    for text in window.findChildren(QPlainTextEdit):
        text.setTabChangesFocus(True)


def focus_help(pointer: QWidget | None) -> QWidget | None:
    """What help is asked for: the field that has the focus, else what is under the pointer."""
    focus = QApplication.focusWidget()
    return focus if focus is not None and not isinstance(focus, QAbstractItemView) else pointer
