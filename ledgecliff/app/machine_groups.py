"""What the groups of the table's panel share: the machine they are about, and how they change the job."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from ledgecliff.core.model.machine import Machine

if TYPE_CHECKING:
    from .table_page import TablePanel


class MachineGroups:
    def __init__(self, panel: TablePanel, machine: Machine) -> None:
        self._panel, self._id = panel, machine.id

    @property
    def _machine(self) -> Machine:
        """As it is now: the panel outlives edits."""
        return next(each for each in self._panel.job.machines if each.id == self._id)

    @property
    def _number(self) -> int:
        return self._panel.job.number_of(self._machine)

    def _apply(self, words: str, change: Any) -> None:
        self._panel.document.apply(words, change)
