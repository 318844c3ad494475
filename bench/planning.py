"""How long importing, recognising, planning and editing take, and how they grow."""

from __future__ import annotations

import select
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from unittest import mock

import numpy as np
from OCP.BRepAlgoAPI import BRepAlgoAPI_Cut
from OCP.BRepPrimAPI import BRepPrimAPI_MakeBox, BRepPrimAPI_MakeCylinder
from OCP.collections import List_TopoDS_Shape
from OCP.gp import gp_Ax2, gp_Dir, gp_Pnt
from OCP.Message import Message, Message_PrinterOStream
from OCP.STEPControl import STEPControl_AsIs, STEPControl_Writer

from ledgecliff.core import dimensioned, new_job
from ledgecliff.core import plan as plan_module
from ledgecliff.core.blanks import make_blank
from ledgecliff.core.changing import set_value
from ledgecliff.core.cutting import features as feature_cuts
from ledgecliff.core.cutting import outlines, views
from ledgecliff.core.findings.rules import findings_of
from ledgecliff.core.holding import contact, tooling
from ledgecliff.core.in_process import stock as stock_module
from ledgecliff.core.in_process.stock import cut, cuts_of
from ledgecliff.core.model.base import Point, Size
from ledgecliff.core.model.identity import derived_id
from ledgecliff.core.model.job import Job
from ledgecliff.core.model.operations import Hole, Pocket
from ledgecliff.core.model.orientation import Orientation
from ledgecliff.core.model.part import BlockShape, Feature, ModelReference, Part
from ledgecliff.core.new_job import job_for_model, with_order
from ledgecliff.core.plan import make_plan
from ledgecliff.core.recognition import matching, recognise
from ledgecliff.core.recognition.recognised import Recognised
from ledgecliff.core.sides import left, order, reach
from ledgecliff.core.solids import thickness
from ledgecliff.core.solids.fitting import fitted_faces
from ledgecliff.core.solids.geometry import Models, PartGeometry
from ledgecliff.store import kernel_process, part_models
from ledgecliff.store.demo import demo_job
from ledgecliff.store.imports import import_model
from ledgecliff.store.job_files import read_job
from ledgecliff.store.part_models import load_models
from ledgecliff.store.shop import shipped_shop

Row = tuple[str, float, str, str, float | None]
DEMO = demo_job("float-housing")
_CACHED = (
    plan_module, stock_module, feature_cuts, outlines, views, dimensioned, recognise, matching, order, reach, left,
    thickness, contact, tooling, new_job,
)  # fmt: skip


def median(function: Callable[[], object], times: int = 5) -> float:
    """Median seconds of a call."""
    seconds = []
    for _ in range(times):
        start = time.perf_counter()
        function()
        seconds.append(time.perf_counter() - start)
    return statistics.median(seconds)


def forget() -> None:
    """Empties every cache of planning."""
    for module in _CACHED:
        for thing in vars(module).values():
            if hasattr(thing, "cache_clear"):
                thing.cache_clear()


# --- models ---------------------------------------------------------------------------------------


def plate_with(faces: int, path: Path) -> None:
    """A plate whose rows of through holes and square pockets (5 faces each) give about ``faces`` faces."""
    Message.DefaultMessenger_s().RemovePrinters(Message_PrinterOStream.get_type_descriptor_s())
    pockets = (faces - 6) // 6
    holes = faces - 6 - 5 * pockets
    places = [(12.0 + 14.0 * (k % 20), 12.0 + 14.0 * (k // 20)) for k in range(pockets + holes)]
    tools = List_TopoDS_Shape()
    for k, (x, y) in enumerate(places):
        if k < holes:
            tools.Append(BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(x, y, -1), gp_Dir(0, 0, 1)), 3.0, 30.0).Shape())
        else:
            tools.Append(BRepPrimAPI_MakeBox(gp_Pnt(x - 4, y - 4, 8), gp_Pnt(x + 4, y + 4, 30)).Shape())
    depth = 24.0 + 14.0 * (len(places) // 20 + 1)
    arguments = List_TopoDS_Shape()
    arguments.Append(BRepPrimAPI_MakeBox(gp_Pnt(0, 0, 0), gp_Pnt(302, depth, 20)).Shape())
    drill = BRepAlgoAPI_Cut()
    drill.SetArguments(arguments)
    drill.SetTools(tools)
    drill.Build()
    writer = STEPControl_Writer()
    writer.Transfer(drill.Shape(), STEPControl_AsIs)
    writer.Write(str(path))


def models() -> list[Row]:
    """From a STEP file to named features, the kernel's process up as it is once a file is asked for, and cold."""
    rows: list[Row] = []
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        for faces in (125, 250, 500, 1000):
            path = folder / f"plate-{faces}.step"
            plate_with(faces, path)
            reference = ModelReference(path=path.name, sha256=part_models.checksum_of(path))
            seconds = []
            for _ in range(3):
                kernel_process.warm_up()
                # The worker says when it is ready, which it is long before somebody has found the file.
                select.select([kernel_process._warm[0].stderr], [], [], 60.0)
                took, geometry, found = imported(path, reference, folder)
                seconds.append(took)
            triangles = geometry.coarse
            words = f"STEP to {len(found)} features, {geometry.face_count} faces (s)"
            rows.append(
                (words, statistics.median(seconds), "3" if faces == 500 else "",
                 f"fitting the faces of its {len(triangles.triangles)} triangles",
                 median(lambda mesh=triangles: fitted_faces(mesh), 1))
            )  # fmt: skip
            if faces == 500:
                cold, _, _ = imported(path, reference, folder)
                rows.append(("the same, kernel's process started first (s)", cold, "", "", None))
    return rows


#: What any program must do that reads a part with the kernel: start, read, triangulate.
_BARE = """
import sys
from OCP.BRepMesh import BRepMesh_IncrementalMesh
from OCP.STEPControl import STEPControl_Reader
reader = STEPControl_Reader()
reader.ReadFile(sys.argv[1])
reader.TransferRoots()
BRepMesh_IncrementalMesh(reader.OneShape(), 0.08, False, 0.45, True)
"""


def shown_at_once() -> list[Row]:
    """From a STEP file to a job with named features, the kernel's process cold, beside a bare kernel process."""
    rows: list[Row] = []
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        for faces in (125, 250, 1000):
            path = folder / f"plate-{faces}.step"
            plate_with(faces, path)
            command = [sys.executable, "-c", _BARE, str(path)]
            bare = median(lambda c=command: subprocess.run(c, check=True, stdout=subprocess.DEVNULL), 3)
            took = []
            for run in range(3):
                kernel_process.cool_down()
                with mock.patch.object(part_models, "cache_folder", return_value=folder / f"cold-{faces}-{run}"):
                    start = time.perf_counter()
                    found = import_model(path)
                    took.append(time.perf_counter() - start)
                    assert found.models.part is not None
                    _ = found.models.part.fine  # the worker goes on with it; the next run shall not meet it
            words = f"part shown, features named, {faces} faces (s)"
            rows.append((words, statistics.median(took), f"{1.5 * bare:.2f}", "1.5 of a bare kernel process", bare))
    return rows


def proposals() -> list[Row]:
    """The orders of sides of a plate with many faces, nothing kept from before."""
    rows: list[Row] = []
    with tempfile.TemporaryDirectory() as name:
        for faces, wanted in ((250, "5"), (1000, "20")):
            path = Path(name) / f"plate-{faces}.step"
            plate_with(faces, path)
            reference = ModelReference(path=path.name, sha256=part_models.checksum_of(path))
            _, geometry, _ = imported(path, reference, Path(name))
            job = job_for_model(reference, geometry, "plate", shipped_shop(), derived_id("plate"))

            def whole(job: Job = job, geometry: PartGeometry = geometry) -> None:
                forget()
                blank = make_blank(job.stock, geometry)
                order.propose(job.part.features, geometry, blank)

            rows.append((f"orders of sides proposed, {faces} faces (s)", median(whole, 3), wanted, "", None))
    return rows


def imported(path: Path, reference: ModelReference, folder: Path) -> tuple[float, PartGeometry, tuple[Recognised, ...]]:
    """Seconds to read and recognise, nothing cached, with what came of it."""
    with mock.patch.object(part_models, "cache_folder", return_value=folder / f"cache-{time.time()}"):
        start = time.perf_counter()
        geometry = part_models.read_model(path, reference)
        forget()
        found = recognise.recognise(geometry)
        took = time.perf_counter() - start
        _ = geometry.fine  # the worker goes on with it; the next run shall not meet it
    return took, geometry, found


# --- planning -------------------------------------------------------------------------------------


def edits() -> list[Row]:
    """A three-setup job: an edit, its new plan and all findings."""
    job = read_job(DEMO)
    loaded = load_models(job, DEMO)
    plan = make_plan(job, loaded)
    three = with_order(job, plan.proposal.orders[0], plan.geometry, loaded, shipped_shop()).job
    _ = findings_of(make_plan(three, loaded))
    step = iter(range(1, 10_000))

    def edit(path: tuple[str | int, ...], start: float, by: float) -> Callable[[], object]:
        return lambda: findings_of(make_plan(set_value(three, path, start + by * next(step)), loaded))

    def from_nothing() -> None:
        forget()
        _ = findings_of(make_plan(three, loaded))

    nothing = median(from_nothing, 3)
    _ = findings_of(make_plan(three, loaded))
    rows: list[Row] = []
    for name, path, start, by in (
        ("first operation of Op 10", ("setups", 0, "operations", 0, "leave"), 0.0, 0.001),
        ("outline of Op 10", ("setups", 0, "operations", 1, "below"), 0.0, 0.001),
        ("all seen in Op 20", ("setups", 1, "operations", 1, "below"), 0.0, -0.001),
        ("all seen in Op 30", ("setups", 2, "operations", 0, "below"), 0.0, -0.001),
    ):
        rows.append((f"edit: {name} (s)", median(edit(path, start, by), 7), "0.2", "nothing cached", nothing))
    for name, path, start, by in (
        ("parallels of Op 20", ("setups", 1, "hold", "parallels_height"), 20.0, 0.01),
        ("probing depth of Op 20", ("setups", 1, "probing", "depth"), 8.0, 0.001),
        ("stock length", ("stock", "measured", "x"), 100.0, 0.01),
    ):
        rows.append((f"edit: {name} (s)", median(edit(path, start, by), 7), "", "nothing cached", nothing))
    rows.append(
        ("proposed orders of the demo's sides (s)", median(lambda: (forget(), _orders(job, loaded)), 3), "", "", None)
    )
    return rows


def _orders(job: Job, loaded: Models) -> object:
    return make_plan(job, loaded).proposal


def drilled(count: int) -> Job:
    """A plate entered by dimensions with ``count`` operations, holes and pockets by turns, in one setup."""
    job = read_job(DEMO)
    features, operations = [], []
    for k in range(count):
        x, y = 15.0 + 20.0 * (k % 12), 15.0 + 20.0 * (k // 12)
        if k % 3:
            feature = Feature(
                name=f"f{k}", kind="hole", at=Point(x=x, y=y, z=20), opens_to="+Z", diameter=6, through=True
            )
            operations.append(Hole(name=f"drill {k}", tool=3, on=feature.name, beyond=1.0))
        else:
            feature = Feature(
                name=f"f{k}", kind="pocket", at=Point(x=x, y=y, z=12), opens_to="+Z", length=14, width=12, depth=8,
                radius=3, lengthwise="+X",
            )  # fmt: skip
            operations.append(Pocket(name=f"pocket {k}", tool=3, on=feature.name))
        features.append(feature)
    size = Size(x=260, y=130, z=20)
    first = job.setups[0].model_copy(
        update={"operations": tuple(operations), "orientation": Orientation(), "stock_assumed": None}
    )
    stock = job.stock.model_copy(update={"nominal": size, "measured": size, "allowance": type(job.stock.allowance)()})
    part = Part(name="plate", shape=BlockShape(size=size), features=tuple(features))
    return job.model_copy(update={"part": part, "stock": stock, "setups": (first,)})


def many_operations() -> list[Row]:
    rows: list[Row] = []
    counts, took = (15, 30, 60, 120), []
    for count in counts:
        job = drilled(count)
        geometry = dimensioned.part_geometry(job.part, Models())

        def whole(job: Job = job) -> None:
            for module in (plan_module, stock_module):
                for thing in vars(module).values():
                    if hasattr(thing, "cache_clear"):
                        thing.cache_clear()
            _ = make_plan(job, Models()).finished.volume

        (cuts,) = cuts_of(job.setups, job.part.features)

        def every_state_anew(job: Job = job, cuts: object = cuts, geometry: object = geometry) -> None:
            """What keeping nothing between operations costs: each state cut from the whole blank."""
            start = make_blank(job.stock, geometry)  # type: ignore[arg-type]
            for k in range(0, len(cuts), 4):  # type: ignore[arg-type]
                _ = cut(start, geometry.coarse, geometry, cuts[: k + 1]).volume  # type: ignore[attr-defined,index,arg-type]

        wanted = "2" if count == 60 else ""
        took.append(median(whole, 3))
        rows.append(
            (f"in-process stock of {count} operations (s)", took[-1], wanted,
             "every 4th state cut from the blank anew", median(every_state_anew, 1))
        )  # fmt: skip
    slope = float(np.polyfit(np.log(counts), np.log(took), 1)[0])
    rows.append(("it grows with the number of operations to the power", slope, "1.2", "", None))
    return rows
