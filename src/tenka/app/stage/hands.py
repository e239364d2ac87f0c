"""What hands do on the stage: orbit, pan, zoom, turn the light, carry a handle, move the line of a wipe."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QKeyEvent, QMouseEvent

from tenka.app.stage.handle import Handle
from tenka.app.stage.handles import Carry, handles_of, under
from tenka.app.stage.picking import pick
from tenka.base.errors import TenkaError
from tenka.effect.document import get

if TYPE_CHECKING:
    from tenka.app.stage.view import Stage

WIPE_REACH = 9  # px from the line of a wipe within which it is taken
STAYS = 4  # px within which a press is a click
NEAREST, FURTHEST = 0.2, 5e3  # m from what is looked at
TURNS = {Qt.Key.Key_Left: (-5, 0), Qt.Key.Key_Right: (5, 0), Qt.Key.Key_Up: (0, 4), Qt.Key.Key_Down: (0, -4)}
NUDGES = {
    Qt.Key.Key_Left: (-1, 0, 0),
    Qt.Key.Key_Right: (1, 0, 0),
    Qt.Key.Key_Up: (0, 1, 0),
    Qt.Key.Key_Down: (0, -1, 0),
    Qt.Key.Key_PageUp: (0, 0, 1),
    Qt.Key.Key_PageDown: (0, 0, -1),
}  # aside, away and up


class Hands:
    """Mouse, wheel and keys on the stage, as what they do there."""

    def __init__(self, stage: Stage) -> None:
        self.stage = stage
        self._press: QPointF | None = None
        self._begun, self._right = QPointF(), False
        self._went = False  # whether the pointer has left the place where it was pressed
        self._how = ""
        self._token: object = None
        self._carry: Carry | None = None

    @property
    def holding(self) -> bool:
        """Whether a drag goes on."""
        return self._press is not None

    def grip(self, at: QPointF) -> Handle | None:
        """The handle under the pointer."""
        stage = self.stage
        return under(handles_of(stage.state), stage.view(), at.x(), at.y()) if stage.show_box else None

    def press(self, event: QMouseEvent) -> None:
        """Begin a drag; what is under the pointer and the keys that are held say of what."""
        stage, held = self.stage, event.modifiers()
        self._press, self._token = event.position(), object()
        self._begun, self._went = event.position(), False
        self._right = event.button() == Qt.MouseButton.RightButton
        if stage.tracing is not None and event.button() == Qt.MouseButton.LeftButton:
            self._press = None
            stage.tracing.click(event.position().x(), event.position().y())
        elif stage.which == "wipe" and abs(event.position().x() - stage.wipe_at * stage.width()) < WIPE_REACH:
            self._how = "wipe"
        elif (
            event.button() == Qt.MouseButton.LeftButton
            and not stage.sides.on
            and stage.inspector.takes_click(stage.view(), event.position().x(), event.position().y())
        ):
            self._press = None
        elif not stage.sides.on and (grip := self.grip(event.position())) is not None:
            self._how, self._carry = "carry", Carry(stage.state, grip, stage.view())
        elif event.button() == Qt.MouseButton.MiddleButton or held & Qt.KeyboardModifier.ShiftModifier:
            self._how = "pan"
        elif held & Qt.KeyboardModifier.ControlModifier or stage.turning_light:
            self._how = "light"
        else:
            self._how = "orbit"

    def drag(self, to: QPointF) -> None:
        """Go on with a drag."""
        stage, d = self.stage, to - (self._press or to)
        self._went = self._went or (to - self._begun).manhattanLength() > STAYS
        if not self._went and self._how == "orbit":
            return  # a click that shakes a little turns nothing
        self._press = to
        if self._how == "wipe":
            stage.wipe_at = min(1.0, max(0.0, to.x() / max(1, stage.width())))
            stage.update()
        elif self._carry is not None:
            self._carry.move(to.x(), to.y(), stage.pace if stage.live else 0.0)
        elif self._how == "light":
            self.turn_light(d.x() * 0.5, -d.y() * 0.3)
        elif self._how == "pan":
            self.pan(d.x(), d.y())
        else:
            self.orbit(-d.x() * 0.45, d.y() * 0.35)

    def let_go(self) -> None:
        """End a drag; one that went nowhere was a click, which selects what is there."""
        clicked = self._press is not None and not self._went and self._how == "orbit"
        self._press = None
        if clicked and self.stage.show_box:
            pick(self.stage, self._begun.x(), self._begun.y(), again=not self._right)
            if self._right:
                self.stage.asked.emit(
                    self.stage.state.selection, self.stage.mapToGlobal(self._begun.toPoint())
                )
        if self._carry is not None:
            self._carry.done()
            self._carry = None

    def step(self, notches: float) -> None:
        """Nearer or further, by notches of the wheel."""
        camera = self.stage.camera
        distance = min(FURTHEST, max(NEAREST, camera.distance * 0.9**notches))
        self.stage.look_from(camera.model_copy(update={"distance": distance}))

    def key(self, event: QKeyEvent) -> bool:
        """Alt and an arrow turn what a drag would turn; arrows alone and the page keys move what is selected;
        False for any other key."""
        key = Qt.Key(event.key())
        if not event.modifiers() & Qt.KeyboardModifier.AltModifier:
            return self.nudge(key, bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier))
        if key not in TURNS:
            return False
        turn, rise = TURNS[key]
        if self.stage.turning_light:
            self._token = "keys"
            self.turn_light(turn, rise)
        else:
            self.orbit(turn, rise)
        return True

    def nudge(self, key: Qt.Key, fine: bool) -> bool:
        """Move what is selected over the ground as it is seen, or up and down; finely by a centimetre."""
        if key not in NUDGES or not self.stage.show_box:
            return False
        state = self.stage.state
        try:
            node = get(state.effect, state.selection) if state.selection else None
        except TenkaError:
            return False
        name = "domain.origin" if hasattr(node, "domain") else "position"
        if not (hasattr(node, "domain") or hasattr(node, "position")):
            return False
        aside, ahead, up = (0.01 if fine else 0.1) * np.array(NUDGES[key], float)
        view = self.stage.view()
        right = np.array([view.right[0], view.right[1], 0.0])
        right /= max(float(np.linalg.norm(right)), 1e-9)
        away = np.array([-right[1], right[0], 0.0])  # from the eye, over the ground
        path = f"{state.selection}.{name}"
        place = np.asarray(get(state.effect, path), float) + aside * right + ahead * away + (0.0, 0.0, up)
        state.edit(path, tuple(round(float(v), 4) for v in place), "Move by keys", ("nudge", path))
        return True

    def orbit(self, turn: float, rise: float) -> None:
        """Go round what is looked at, degrees."""
        camera = self.stage.camera
        pitch = min(89.0, max(-20.0, camera.pitch + rise))
        self.stage.look_from(camera.model_copy(update={"heading": camera.heading + turn, "pitch": pitch}))

    def pan(self, dx: float, dy: float) -> None:
        """Look at what lies beside, by pixels of the stage."""
        stage, camera = self.stage, self.stage.camera
        view = stage.view()
        per_px = 2 * view.half_height * camera.distance / max(1, stage.height())
        target = np.asarray(camera.target) - view.right * dx * per_px + view.up * dy * per_px
        stage.look_from(camera.model_copy(update={"target": tuple(float(c) for c in target)}))

    def turn_light(self, turn: float, rise: float) -> None:
        """Turn the sun: an undoable edit of the look, which simulates nothing."""
        light = self.stage.state.effect.light
        heading, height = light.heading, light.height
        if not isinstance(heading, int | float) or not isinstance(height, int | float):
            self.stage.state.said.emit("The sun follows a course: its keys are in the sheet and the tempo.")
            return
        heading = (heading + turn + 360.0) % 720.0 - 360.0
        height = min(88.0, max(4.0, height + rise))
        self.stage.state.edit(
            "light",
            light.model_copy(update={"heading": heading, "height": height}),
            "Turn the light",
            ("light", self._token),
        )
