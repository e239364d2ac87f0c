"""The coarse run beside a finer one, whose motion it keeps."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from tenka.base.randomness import stable_seed
from tenka.cache.store import Frame, FrameStore
from tenka.effect.model import Quality
from tenka.gas.grid import GasState
from tenka.gas.guide import Guide, led_by
from tenka.run.frames import drift, frame_of_state, wander
from tenka.run.given import Links
from tenka.run.members import LEADING, GasMember, Member
from tenka.run.plans import Plan


@dataclass
class Leader:
    """A gas at its preview's size, a frame ahead of the finer run, frame by frame.

    Attributes
    ----------
    resumed : whether it went on from a stored state rather than beginning again
    """

    plan: Plan
    state: GasState
    member: GasMember
    quality: Quality
    seed: int
    resumed: bool

    @classmethod
    def of(cls, plan: Plan, store: FrameStore, start: int | None) -> Leader | None:
        """The leader of a final run that is finer than its preview, going on from frame `start` if it can."""
        if plan.preview is None:
            return None
        links = Links(store, plan.effect.rate, dict(plan.feeds))
        member = plan.preview.member(links)
        assert isinstance(member, GasMember)
        ahead = member.resume(store, start, LEADING) if start is not None else None
        quality = plan.layer.quality
        state = ahead if ahead is not None else member.start()
        seed = stable_seed(plan.effect.seed, plan.layer.id, "wisps")
        return cls(plan.preview, state, member, quality, seed, ahead is not None)

    def lead(self, follower: Member, check: Callable[[], None]) -> None:
        """Go one frame on, and hand both ends of it to the finer run."""
        solver, rate = self.member.solver, self.plan.effect.rate
        clock, start = solver.clock, self.state.time
        before, before_grid = led_by(self.state, solver.grid, clock.scale_at(start)), solver.grid
        self.member.links.index = round(start * rate)
        self.state = solver.frame(self.state, check)
        end = self.state.time
        after = led_by(self.state, solver.grid, clock.scale_at(end))
        follower.solver.guide = Guide(
            before,
            before_grid,
            after,
            solver.grid,
            clock.own(start),
            clock.own(end) - clock.own(start),
            self.quality.detail,
            self.quality.guidance,
            self.quality.wisps,
            self.seed,
        )

    def check_point(self, store: FrameStore, f: int) -> None:
        self.member.check_point(store, self.state, f, LEADING)

    def compared(self, frame: Frame) -> dict[str, float]:
        """How far a finer frame is from the coarse one."""
        coarse = frame_of_state(self.state, self.member.solver.grid, final=True)
        return {"drift": drift(coarse, frame, self.quality.detail), "wander": wander(coarse, frame)}
