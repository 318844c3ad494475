"""The small pictures of the demos that the first page shows: ``python -m tools.make_demo_pictures``."""

from __future__ import annotations

import os
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PySide6.QtWidgets import QApplication

from ledgecliff.app.scene_card import PICTURE, colored
from ledgecliff.app.theme import DAY
from ledgecliff.core.drawing.pictures import scene_picture
from ledgecliff.core.plan import make_plan
from ledgecliff.core.route import scenes_of
from ledgecliff.store.demo import DEMOS, demo_job
from ledgecliff.store.job_files import read_job
from ledgecliff.store.part_models import load_models

OUT = Path(__file__).parents[1] / "ledgecliff" / "resources" / "demos"

if __name__ == "__main__":
    application = QApplication([])
    for demo in DEMOS:
        path = demo_job(demo.name)
        job = read_job(path)
        plan = make_plan(job, load_models(job, path))
        first = next(scene for scene in scenes_of(plan) if scene.kind == "setup")
        picture = scene_picture(plan, first, PICTURE.width(), PICTURE.height())
        colored(picture, DAY).save(str(OUT / f"{demo.name}.png"))
