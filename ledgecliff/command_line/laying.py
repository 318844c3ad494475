"""How parts lie, where zeros are, and where cuts from both sides meet: ``lay``, ``zeros --take`` and ``parting``."""

from __future__ import annotations

import argparse
import re

from ledgecliff.command_line.plans import plan_of, setup_named
from ledgecliff.core.changing import set_value
from ledgecliff.core.comparing_zeros import with_zero
from ledgecliff.core.datums import datum_choices
from ledgecliff.core.edits.found_holes import found_name, with_found_hole
from ledgecliff.core.edits.lying import lay_by_places, lay_face_up, with_zero_at
from ledgecliff.core.edits.parting import with_parting
from ledgecliff.core.edits.rotary import stand_at
from ledgecliff.core.edits.several_parts import beside_each_other, with_parts
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.plan import make_plan
from ledgecliff.core.several_parts import cut_apart_in, names_of
from ledgecliff.core.typed import parse_length
from ledgecliff.store.identity import new_id
from ledgecliff.store.job_files import write_job


def lay(options: argparse.Namespace) -> int:
    """The part laid in a setup by a face or three places, the zero put at a place, axes turned; the job is written."""
    plan = plan_of(options)
    setup, job = setup_named(plan, options.setup), plan.job
    if options.face is not None:
        job = lay_face_up(job, setup, options.face)
    if options.places is not None:
        job = lay_by_places(job, setup, options.places)
    if options.zero_at is not None:
        job = with_zero_at(job, setup, make_plan(job, plan.models).setups[setup].wcs, options.zero_at)
    for given in options.index or ():
        angle = re.fullmatch(r"\s*([A-Ca-c])\s*=\s*([+-]?\d+\.?\d*)\s*", given)
        if angle is None:
            raise InvalidValueError("--index", f"'{given}' is no angle of an axis; give it as A=90")
        job = stand_at(job, setup, angle[1].upper(), float(angle[2]))
    if job == plan.job:
        raise InvalidValueError("lay", "nothing is changed; give --face, --places, --zero-at or --index")
    lies = make_plan(job, plan.models).setups[setup].setup.orientation
    write_job(job, options.job)
    print(f"{options.setup}: {lies.in_shop_words()}")
    return 0


def hole(options: argparse.Namespace) -> int:
    """A hole nobody has drawn, kept as a feature; the job is written."""
    plan = plan_of(options)
    setup = setup_named(plan, options.setup)
    if not 2 <= len(options.at) <= 3:
        raise InvalidValueError("--at", "takes X and Y, and Z of the mouth where that is not on the stock's top")
    at = tuple(parse_length(word, "mm") for word in options.at)
    diameter = parse_length(options.diameter, "mm")
    depth = None if options.depth is None else parse_length(options.depth, "mm")
    name = options.name or found_name(plan.job)
    job = with_found_hole(plan, setup, name, at, diameter, depth)
    make_plan(job, plan.models)
    write_job(job, options.job)
    found = job.part.feature(name)
    assert found is not None, "it was just put there"
    print(f"{name}: part X {found.at.x:.4f}  Y {found.at.y:.4f}  Z {found.at.z:.4f}, diameter {found.diameter:.4f}")
    return 0


def parts(options: argparse.Namespace) -> int:
    """So many parts from the blank; the job is written."""
    plan = plan_of(options)
    now = plan.job.part.copies
    shift = now[0].shift.as_tuple() if now else beside_each_other(plan)
    if options.apart is not None:
        x, y, z = (parse_length(word, "mm") for word in options.apart)
        shift = (x, y, z)
    job = with_parts(plan, options.count, shift, new_id)
    planned = make_plan(job, plan.models)
    write_job(job, options.job)
    where = cut_apart_in(planned)
    print(f"parts {', '.join(names_of(planned))}: " + (f"joined until {where}" if where else "never cut apart"))
    return 0


def take_zero(options: argparse.Namespace) -> int:
    """The source of those words taken for an axis; the job is written."""
    plan = plan_of(options)
    setup = setup_named(plan, options.setup)
    if options.axis is None:
        raise InvalidValueError("--axis", "say of which axis the zero is taken")
    choices = {choice.words: choice for choice in datum_choices(options.axis, plan.job, setup)}
    if options.take not in choices:
        raise InvalidValueError("--take", f"'{options.take}' is not offered; choose {', '.join(choices)}")
    job = with_zero(plan.job, setup, options.axis, choices[options.take])
    make_plan(job, plan.models)
    write_job(job, options.job)
    print(f"{options.setup}: {options.axis.upper()} from {options.take}")
    return 0


def parting(options: argparse.Namespace) -> int:
    """The parting plane stated or taken out; the job is written."""
    plan = plan_of(options)
    job = plan.job
    if options.none or options.along is not None:
        job = with_parting(job, None if options.none else options.along, plan.geometry)
    for name in ("at", "past"):
        text = getattr(options, name)
        if text is not None:
            if job.parting is None:
                raise InvalidValueError(f"--{name}", "there is no parting plane; say --along which part axis it lies")
            job = set_value(job, ("parting", name), parse_length(text))
    make_plan(job, plan.models)
    write_job(job, options.job)
    plane = job.parting
    where = "" if plane is None else f"part {plane.along.upper()} {plane.at:.3f}, each side {plane.past:.3f} past it"
    print(where or "no parting plane: everything goes its own way")
    return 0
