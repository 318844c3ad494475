"""What can be wrong, said so that the machinist knows what to do next.

Every error of ours carries one complete sentence (or two): which thing, what is wrong with it,
and what would be right.  The command line prints it as it stands and the window shows it as it
stands, so nothing here may need a traceback to be understood.
"""

from .quantities import Unit, spell


class LedgecliffError(Exception):
    """Base of everything this program raises on purpose."""

    def __str__(self) -> str:
        """Lengths in the words are spelled in millimetres, wherever nobody asks for another unit."""
        return self.said_in("mm")

    def said_in(self, unit: Unit) -> str:
        return spell(self.words, unit)

    @property
    def words(self) -> str:
        """The words with lengths still to be spelled."""
        return super().__str__()


class CancelledError(Exception):
    """Work that was told to stop has stopped; nothing is wrong."""


class QuantityError(LedgecliffError, ValueError):
    """A typed length, angle or feed that cannot be understood."""


class InvalidValueError(LedgecliffError, ValueError):
    """A value the job cannot hold; ``field`` names it in the job's own terms."""

    def __init__(self, field: str, message: str) -> None:
        super().__init__(f"{field}: {message}")
        self.field = field


class JobFileError(LedgecliffError, ValueError):
    """A job file that cannot be read: cut off, foreign, from a newer version, or with bad fields."""


class ModelFileError(LedgecliffError, ValueError):
    """A part model that is missing, changed or cannot be read."""


class ReaderStartError(LedgecliffError, RuntimeError):
    """The process that reads models did not start: no file is to blame."""


class SeveralBodiesError(ModelFileError):
    """A model file with several bodies, of which none was chosen; ``sizes`` are (x, y, z) in mm of each."""

    def __init__(self, name: str, sizes: list[tuple[float, ...]]) -> None:
        bodies = "; ".join(
            f"{number}: " + " x ".join(f"{value:g}" for value in size) for number, size in enumerate(sizes, start=1)
        )
        super().__init__(
            f"'{name}' holds {len(sizes)} bodies (mm: {bodies}). Choose one of them, or take all as an assembly."
        )
        self.name, self.sizes = name, sizes


class PlanError(LedgecliffError, ValueError):
    """A job from which no plan can be computed, such as a part that leaves nothing in the vise."""


class InternalError(PlanError):
    """A number of our own that contradicts itself: shown instead of a plan, never beside one.

    ``what`` names what was being worked out, such as an operation.  No input is to blame and none mends it.
    """

    def __init__(self, what: str, message: str) -> None:
        super().__init__(
            f"Internal error in {what}: {message}. No plan is shown, because its numbers would be wrong. "
            "The job and its file are unchanged; undo the last edit, and report this with the job."
        )
        self.what = what


class ProgramError(LedgecliffError, ValueError):
    """Program text that the simulated control refuses; ``line`` counts from 1."""

    def __init__(self, line: int, text: str, message: str) -> None:
        super().__init__(f"line {line} '{text}': {message}")
        self.line = line


class RegistrationError(LedgecliffError, ValueError):
    """A frame, jig or pin pattern that cannot be made with the sizes given."""


class DrawingFileError(LedgecliffError, ValueError):
    """A DXF or SVG drawing that cannot be read, or from which nothing can be taken."""


class FitError(LedgecliffError, ValueError):
    """Points from which the wanted line, plane or circle does not follow; the text says which are missing."""


class ProfileError(LedgecliffError, ValueError):
    """A text profile that cannot be used; ``line`` counts from 1, nought where no line is to blame."""

    def __init__(self, name: str, line: int, message: str) -> None:
        super().__init__(f"profile '{name}'" + (f", line {line}" if line else "") + f": {message}")
        self.line = line


class RegisterError(LedgecliffError, ValueError):
    """Something that the offset register refuses; ``code`` is the work offset it is about."""

    def __init__(self, code: str, message: str) -> None:
        super().__init__(f"{code}: {message}.")
        self.code = code
