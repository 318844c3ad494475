"""What a machine is told besides: its words by name, and which of them a setup or a step says."""

from __future__ import annotations

import re
from collections.abc import Sequence

from ..changing import Path, set_value
from ..errors import InvalidValueError
from ..model.job import Job
from ..model.machine_words import MachineWord

_ONE = re.compile(r"(.+?)\s*=\s*(M\s*\d{1,3}(?:\s*P\s*\d{1,3})?)", re.IGNORECASE)


def words_text(words: Sequence[MachineWord]) -> str:
    """As ``with_words`` takes it in again."""
    return "; ".join(f"{word.name} = {word.word}" for word in words)


def with_words(job: Job, machine: int, text: str) -> Job:
    """A machine's words from text such as ``vise air on = M21; conveyor off = M64 P2``.  Raises InvalidValueError."""
    words: list[MachineWord] = []
    for each in filter(None, (part.strip() for part in text.split(";"))):
        match = _ONE.fullmatch(each)
        if match is None:
            raise InvalidValueError(
                "machine words", f"'{each}' is none; write a name and its M word, as vise air on = M21, with ; between"
            )
        spelled = re.sub(r"\s*P\s*", " P", re.sub(r"^M\s*", "M", match[2].upper()))
        try:
            words.append(MachineWord(name=match[1].strip(), word=spelled))
        except ValueError as error:
            reason = str(error).split("Value error, ")[-1].split(" [type=")[0]
            raise InvalidValueError("machine words", f"'{each}': {reason}") from error
    return set_value(job, ("machines", machine, "words"), tuple(words))


def names_text(names: Sequence[str]) -> str:
    return ", ".join(names)


def with_names(job: Job, path: Path, text: str) -> Job:
    """Names of words, with commas between, at a path of the job."""
    return set_value(job, path, tuple(name for name in (part.strip() for part in text.split(",")) if name))
