"""What is on the stage: a scene of a plan, and what of it is chosen."""

from __future__ import annotations

from dataclasses import dataclass

from .plan import Plan
from .rehearsal.results import Rehearsal
from .route import Scene
from .setup_plan import SetupPlan


@dataclass(frozen=True, eq=False)
class Look:
    """``number`` is the operation that is looked at, or through the probe lens the step (from 0), and ``picked`` the
    source of drawing and tape.  Without the ``whole`` of it, what takes long to work out is left for later."""

    plan: Plan
    scene: Scene
    number: int = 0
    picked: str = ""
    rehearsal: Rehearsal | None = None
    whole: bool = True

    @property
    def setup(self) -> SetupPlan:
        """Of a setup's scene."""
        assert self.scene.setup is not None, "only scenes of the stock and the finished part have none"
        return self.plan.setups[self.scene.setup]
