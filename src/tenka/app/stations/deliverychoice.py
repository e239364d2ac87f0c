"""Which delivery is worked on at the Pack station: what it draws, on which tiers; one more, one less."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QCheckBox, QComboBox, QHBoxLayout, QMenu, QToolButton, QWidget

from tenka.app import theme
from tenka.app.state import State
from tenka.base.errors import TenkaError
from tenka.effect.document import get, replaced
from tenka.effect.model import ROUTES, Delivery, first_delivery, rerouted, routes_for
from tenka.effect.things import removed


class DeliveryChoice(QWidget):
    """The deliveries, and for the chosen one its layers and whether the present tier has it."""

    def __init__(self, state: State) -> None:
        super().__init__()
        self.state = state
        line = QHBoxLayout(self)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(6)
        self.list = QComboBox()
        self.list.setAccessibleName("Delivery")
        self.list.setToolTip("The delivery that is shown here and in the sheet")
        self.list.setMinimumContentsLength(12)
        self.list.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
        self.list.activated.connect(lambda _: self.choose(str(self.list.currentData())))
        self.route = QComboBox()
        self.route.setAccessibleName("Route")
        self.route.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
        self.route.activated.connect(lambda _: self.reroute(str(self.route.currentData())))
        self.layers = QToolButton()
        self.layers.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.layers.setToolTip("The layers that are drawn in it together")
        self.layers.setAccessibleName("Layers of the delivery")
        self.menu = QMenu(self.layers)
        self.menu.aboutToShow.connect(self._fill_layers)
        self.layers.setMenu(self.menu)
        self.there = QCheckBox()
        self.there.setMinimumHeight(24)
        self.there.toggled.connect(self._turn)
        self.more = self._tool("plus", "A further delivery of the layer that is worked on", self.add)
        self.less = self._tool("trash-2", "Remove this delivery; its layers stay", self.remove)
        for part in (self.list, self.route, self.layers, self.there):
            line.addWidget(part)
        line.addStretch(1)
        for part in (self.more, self.less):
            line.addWidget(part)

    def _tool(self, icon: str, tip: str, call: object) -> QToolButton:
        button = QToolButton()
        button.setIcon(theme.icon(icon))
        button.setToolTip(tip)
        button.setAccessibleName(tip)
        button.clicked.connect(lambda _=False: call())  # type: ignore[operator]
        return button

    def refresh(self) -> None:
        """Show the deliveries that there are."""
        state, now = self.state, self.state.delivery
        rows = [(d.id, d.name) for d in state.effect.deliveries]
        if rows != [(self.list.itemData(n), self.list.itemText(n)) for n in range(self.list.count())]:
            self.list.clear()
            for id, name in rows:
                self.list.addItem(name, id)
        self.list.setCurrentIndex(self.list.findData(now.id) if now is not None else -1)
        self.list.setEnabled(bool(rows))
        names = {layer.id: layer.name for layer in state.effect.layers}
        told = " + ".join(names[id] for id in now.of) if now is not None else "nothing"
        self.layers.setText(
            f"draws {told}" if len(told) < 40 else f"draws {len(now.of) if now else 0} layers"
        )
        for part in (self.route, self.layers, self.there, self.less):
            part.setEnabled(now is not None)
        self._fill_routes(now)
        self.more.setEnabled(state.layer is not None)
        tier = state.tier
        self.there.setVisible(tier is not None)
        self.there.blockSignals(True)
        self.there.setChecked(now is not None and tier is not None and now.id not in tier.without)
        self.there.blockSignals(False)
        if tier is not None:
            self.there.setText(f"on {tier.name}")
            self.there.setToolTip(f"Whether {tier.name} has this delivery at all")

    def _fill_routes(self, now: Delivery | None) -> None:
        """The routes by which the chosen delivery's layers can go."""
        effect = self.state.effect
        fitting = routes_for([effect.layer(id) for id in now.of]) if now is not None else []
        kinds = [kind for kind in ROUTES if kind in fitting or (now is not None and kind == now.route.kind)]
        if kinds != [self.route.itemData(n) for n in range(self.route.count())]:
            self.route.clear()
            for n, kind in enumerate(kinds):
                self.route.addItem(f"as {ROUTES[kind].TITLE.lower()}", kind)
                self.route.setItemData(n, ROUTES[kind].HINT, Qt.ItemDataRole.ToolTipRole)
        self.route.setCurrentIndex(self.route.findData(now.route.kind) if now is not None else -1)
        self.route.setToolTip(now.route.HINT if now is not None else "By which route it reaches the game")

    def reroute(self, kind: str) -> None:
        """Let the chosen delivery go by another route; what tiers and levers had of the former one goes."""
        now = self.state.delivery
        if now is not None and kind != now.route.kind:
            title = ROUTES[kind].TITLE.lower()
            self.state.apply(rerouted(self.state.effect, now.id, kind), f"Deliver {now.name} as {title}")

    def choose(self, id: str) -> None:
        """Work on a delivery, and on a layer that it takes."""
        state, delivery = self.state, self.state.effect.delivery(id)
        state.select(
            state.selection
            if state.layer is not None and state.layer.id in delivery.of
            else f"layers.{delivery.of[0]}"
        )
        state.delivery_id = id
        state.selected.emit(state.selection)

    def _turn(self, on: bool) -> None:
        tier, now = self.state.tier, self.state.delivery
        if tier is not None and now is not None:
            rest = tuple(id for id in tier.without if id != now.id)
            without = rest if on else (*rest, now.id)
            words = f"{now.name} {'on' if on else 'not on'} {tier.name}"
            self.state.edit(f"tiers.{tier.id}.without", without, words)

    def _fill_layers(self) -> None:
        self.menu.clear()
        now = self.state.delivery
        for layer in self.state.effect.layers if now is not None else ():
            action = self.menu.addAction(layer.name)
            assert action is not None and now is not None
            action.setCheckable(True)
            action.setChecked(layer.id in now.of)
            action.triggered.connect(partial(self.take, layer.id))

    def take(self, layer: str, on: bool) -> None:
        """Let the delivery draw a layer too, or no more; one that drew nothing would be none."""
        now = self.state.delivery
        if now is None:
            return
        of = tuple(x.id for x in self.state.effect.layers if (on if x.id == layer else x.id in now.of))
        if not of:
            self.state.said.emit(f"{now.name} draws nothing else: remove it instead.")
            return
        others = [self.state.effect.layer(id) for id in of]
        if on and now.route.kind not in routes_for(others):
            title = now.route.TITLE.lower()
            why = "takes one layer" if len(of) > 1 and not now.route.SHARED else now.route.fits(others[-1])
            self.state.said.emit(f"{now.name} goes as {title}, which {why}: choose another route first.")
            return
        self.state.edit(f"deliveries.{now.id}.of", of, f"What {now.name} draws")

    def add(self) -> None:
        """A further delivery of the layer that is worked on."""
        layer, effect = self.state.layer, self.state.effect
        if layer is None:
            return
        made = first_delivery(layer, {d.id for d in effect.deliveries})
        names = {d.name for d in effect.deliveries}
        name = next(
            n for n in (layer.name, *(f"{layer.name[:54]} {k}" for k in range(2, 99))) if n not in names
        )
        made = made.model_copy(update={"name": name})
        try:
            self.state.apply(
                replaced(effect, "deliveries", (*get(effect, "deliveries"), made)), f"Deliver {name}"
            )
        except TenkaError as error:
            self.state.refuse(error)
            return
        self.choose(made.id)

    def remove(self) -> None:
        """Remove the chosen delivery."""
        now = self.state.delivery
        if now is not None:
            self.state.apply(removed(self.state.effect, f"deliveries.{now.id}"), f"Remove {now.name}")
            self.state.said.emit(f"The delivery {now.name} is gone; its layers stay.")
