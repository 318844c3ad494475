"""Text profiles: how the actions of a program are written for one style of control.

A profile is a template with one macro for each action (``docs/profiles.md``).  Those that ship are
text files beside this module; a machine may carry copies of its own.  Templates come from job
files too, so they run in a sandbox that reaches nothing but what they are given.
"""

from __future__ import annotations

import re
import traceback
from collections.abc import Callable, Iterable, Mapping
from functools import cache, lru_cache
from importlib import resources
from typing import TYPE_CHECKING, Any

from ..errors import ProfileError
from ..model.machine import ControlStyle, Machine, OutputProfile
from .actions import Action
from .text import comment

if TYPE_CHECKING:
    from jinja2 import Template

#: Profiles that ship: their names and the control that runs their programs.
SHIPPED: dict[str, ControlStyle] = {
    "parameter style": "parameter style",
    "numbered-variable skip style": "numbered-variable skip style",
    "user macro style": "parameter style",
    "cycle call style": "parameter style",
}
#: For which dialect each style is, in words that a person finds in the control's manual.
DIALECTS: dict[ControlStyle, str] = {
    "parameter style": "probing moves G38.2 to G38.4, results in #5061 to #5063, flow by o-words (o1 if … o1 endif)",
    "numbered-variable skip style": "skip move G31, results in #5061 to #5063, flow by IF … GOTO, stop by #3000",
}
_SUFFIXES: dict[ControlStyle, str] = {"parameter style": ".ngc", "numbered-variable skip style": ".nc"}
#: What every profile must have; others only where a program needs them.
MACROS = ("header", "note", "free", "guarded", "search", "let", "stop", "write", "footer", "hover")


@cache
def shipped_profile(name: str) -> OutputProfile:
    file = resources.files(__package__).joinpath("profiles", name.replace(" ", "-") + ".txt")
    return OutputProfile(
        name=name, control=SHIPPED[name], text=file.read_text(encoding="utf-8"), suffix=_SUFFIXES[SHIPPED[name]]
    )


def in_present_words(text: str) -> str:
    """A profile's text with its macros called as they are now: up to 0.8.0 a guarded move was a protected one."""
    return re.sub(r"\bprotected\b", "guarded", text)


def profile_names(machine: Machine) -> tuple[str, ...]:
    return (*SHIPPED, *(profile.name for profile in machine.profiles if profile.name not in SHIPPED))


def profile_of(machine: Machine) -> OutputProfile:
    """The profile a machine names.  Raises ProfileError when there is none of that name."""
    own = next((profile for profile in machine.profiles if profile.name == machine.profile), None)
    if own is not None:
        return own
    if machine.profile in SHIPPED:
        return shipped_profile(machine.profile)
    names = ", ".join(profile_names(machine))
    raise ProfileError(machine.profile, 0, f"the machine has no such profile; choose one of {names}")


@lru_cache(maxsize=32)
def _template(profile: OutputProfile) -> Template:
    from jinja2 import StrictUndefined, TemplateSyntaxError  # only once a program is written
    from jinja2.sandbox import ImmutableSandboxedEnvironment

    environment = ImmutableSandboxedEnvironment(undefined=StrictUndefined, autoescape=False)
    environment.filters["c"] = comment
    try:
        return environment.from_string(profile.text)
    except TemplateSyntaxError as error:
        raise ProfileError(profile.name, error.lineno, f"{error.message}; correct that line") from error


class ProfileWriter:
    """Writes actions as text.  Raises ProfileError with the line of the profile that is at fault."""

    def __init__(self, profile: OutputProfile, program: Mapping[str, Any]) -> None:
        self._profile, self._program = profile, program
        self._module = self._guarded(lambda: _template(profile).make_module())
        missing = [name for name in MACROS if not hasattr(self._module, name)]
        if missing:
            raise ProfileError(profile.name, 0, _missing(missing[0]))

    def has(self, macro: str) -> bool:
        return hasattr(self._module, macro)

    @property
    def sets_by_cycles(self) -> bool:
        """Whether the machine's own cycles check sizes and write offsets, so that the program does not."""
        return bool(getattr(self._module, "cycles_set", False))

    @property
    def subs_at_end(self) -> bool:
        """Whether subprograms stand after the end of the program that calls them, not before their first call."""
        return bool(getattr(self._module, "subs_at_end", False))

    def writes(self, actions: Iterable[Action]) -> bool:
        """Whether the profile has words for every one of these; a call of a cycle that it leaves empty has none."""
        return all(self.action(action).strip() for action in actions if action.kind == "cycle")

    def action(self, action: Action) -> str:
        macro = getattr(self._module, action.kind, None)
        if macro is None:
            raise ProfileError(self._profile.name, 0, _missing(action.kind))
        takes_program = len(getattr(macro, "arguments", ())) > 1
        text = str(self._guarded(lambda: macro(action, self._program) if takes_program else macro(action)))
        left_out = next((said for said in getattr(action, "failed", ()) if said.word not in text), None)
        if left_out is not None and action.kind not in self._stopped_by_the_control():
            raise ProfileError(
                self._profile.name, 0,
                f"the macro '{action.kind}' leaves out what is said where a check fails ({left_out.word}); write "
                "a.failed before the stop",
            )  # fmt: skip
        unsaid = next((word for name in ("free", "clamp") if (word := getattr(action, name, "")) not in text), None)
        if unsaid is not None:
            raise ProfileError(
                self._profile.name, 0,
                f"the macro '{action.kind}' leaves out the word that frees or clamps a rotary axis ({unsaid}); write "
                "a.free before the move and a.clamp after it",
            )  # fmt: skip
        return text

    def _stopped_by_the_control(self) -> tuple[str, ...]:
        """Actions that end in an alarm of the control's own, before which no program can say anything."""
        return ("search",) if self._profile.control == "parameter style" else ()

    def part(self, name: str, *arguments: Any) -> str:
        """The header, the footer, or the hover check."""
        return str(self._guarded(lambda: getattr(self._module, name)(self._program, *arguments)))

    def _guarded(self, call: Callable[[], Any]) -> Any:
        from jinja2 import TemplateError

        try:
            return call()
        except ProfileError:
            raise
        except (TemplateError, TypeError, ValueError, ZeroDivisionError, AttributeError, OverflowError) as error:
            lines = _lines_of(error, _template(self._profile))
            inner = f" (reached in line {lines[-1]})" if len(set(lines)) > 1 else ""
            outer = lines[0] if lines else 0
            raise ProfileError(self._profile.name, outer, f"{error}{inner}; correct that line") from error


def _missing(macro: str) -> str:
    return f"the macro '{macro}' is missing; copy it from a shipped profile"


def _lines_of(error: BaseException, template: Template) -> list[int]:
    """The template's lines that led to an error, from the outermost; its frames count lines of compiled code."""
    frames = traceback.extract_tb(error.__traceback__)
    return [
        template.get_corresponding_lineno(frame.lineno)
        for frame in frames
        if frame.filename == "<template>" and frame.lineno
    ]
