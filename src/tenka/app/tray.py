"""The tray: starting points, and what can be added to the effect."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

from PyQt6.QtCore import QSize, Qt
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QFileDialog, QLabel, QMenu, QToolButton, QVBoxLayout, QWidget

from tenka.app import theme
from tenka.app.kinds import FORCES, VIEWS
from tenka.app.scroll import upright_area
from tenka.app.state import State
from tenka.base.errors import TenkaError
from tenka.effect import presets
from tenka.effect.additions import LAYERS, with_new_layer
from tenka.effect.model import Effect, Layer
from tenka.effect.starters import STARTERS, with_collider, with_force, with_light, with_prop, with_source
from tenka.scene.files import read

ICONS = {
    "Plume": "factory",
    "Puff": "cloudy",
    "Mist": "cloud-fog",
    "Fire": "flame",
    "Fireball": "bomb",
    "Water": "droplets",
    "Pool": "droplets",
    "Stream": "waves",
    "Wake": "ship",
    "Afloat": "package",
    "Splash": "glass-water",
    "Fountain": "shower-head",
    "Mud": "droplet",
}
ICON_HEIGHT = 26
ON_TRAY = ("Wind", "Eddies", "Swirl")
PROPS = (
    ("box", "Box", "box"),
    ("sphere", "Ball", "circle"),
    ("cylinder", "Cylinder", "cylinder"),
    ("cone", "Cone", "cone"),
    ("figure", "Figure", "person-standing"),
)


def _nothing() -> None:
    """What a button does whose menu does all."""


def _layered(effect: Effect, make: Callable[[Effect], Layer]) -> tuple[Effect, str]:
    return with_new_layer(effect, make(effect))


class Tray(QWidget):
    def __init__(self, state: State) -> None:
        super().__init__()
        self.setObjectName("bench")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.state = state
        self.setFixedWidth(76)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        area = upright_area()  # a low window shows part of it whole, rather than all of it squeezed
        area.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        whole.addWidget(area)
        body = QWidget()
        area.setWidget(body)
        column = QVBoxLayout(body)
        column.setContentsMargins(4, 4, 4, 4)
        column.setSpacing(0)
        self.buttons: dict[str, QToolButton] = {}
        # group, name, tip and call of each, for the finder
        self.entries: list[tuple[str, str, str, Callable[[], None]]] = []
        self._group = ""
        self._heads: list[QLabel] = []
        self.layer_menu = QMenu(self)
        self._beginnings(column)
        self._head(column, "Add")
        self._layers_and_sources(column)
        self._forces(column)
        self._things(column)
        column.addStretch(1)

    def resizeEvent(self, a0: QResizeEvent | None) -> None:
        """Where the labels have no room, the icons stand alone; their tips still name them."""
        wide = sum(b.property("tall") for b in self.buttons.values())
        room = self.height() - sum(label.sizeHint().height() for label in self._heads) - 8
        style = Qt.ToolButtonStyle
        named = style.ToolButtonTextUnderIcon if room >= wide else style.ToolButtonIconOnly
        for button in self.buttons.values():
            if button.toolButtonStyle() != named:
                button.setToolButtonStyle(named)
                button.setFixedHeight(button.property("tall") if room >= wide else ICON_HEIGHT)

    def _beginnings(self, column: QVBoxLayout) -> None:
        """What one may begin with."""
        self._head(column, "Begin")
        groups: dict[str, QMenu] = {}
        for name, make in STARTERS.items():
            words = make.words
            tip = f"{words} Where there are layers, it asks whether to add to them."
            if make.group:
                menu = groups.setdefault(make.group, QMenu(self))
                self._entry(menu, name, ICONS[name], tip, self._begin(name, make.group))
                continue
            self._button(column, name, ICONS[name], tip, self._begin(name))
        for group, menu in groups.items():
            names = ", ".join(name.lower() for name, made in STARTERS.items() if made.group == group)
            self._menu_button(column, group, ICONS[group], f"{group} to begin with: {names}", menu)

    def _layers_and_sources(self, column: QVBoxLayout) -> None:
        self.layer_menu.aboutToShow.connect(self._fill_layers)
        for name in (starter[0] for view in VIEWS.values() for starter in view.starters):
            make = LAYERS[name]
            call = partial(self._add, partial(_layered, make=make), f"Add {name.lower()}")
            self.entries.append(("Add", f"{name} layer", make.words, call))
        self._menu_button(
            column,
            "Layer",
            "layers",
            "A further layer: gas, water, sparks, embers, dust, debris, or a preset",
            self.layer_menu,
        )
        self._button(
            column,
            "Source",
            "circle-dot",
            "A region that feeds the layer that is worked on",
            self._add_source,
        )

    def _forces(self, column: QVBoxLayout) -> None:
        """The forces that are wanted most, and the others in a menu."""
        self.force_menu = QMenu(self)
        for word, view in FORCES.items():
            name, icon, tip = view.name, view.icon, view.tip
            call = partial(self._add, partial(with_force, kind=word), f"Add {name.lower()}")
            if name in ON_TRAY:
                self._button(column, name, icon, tip, call)
            else:
                self._entry(self.force_menu, name, icon, tip, call)
        self._menu_button(column, "Force", "plus", "Pull, drag or gravity", self.force_menu)

    def _things(self, column: QVBoxLayout) -> None:
        """Props and meshes, and what stops at them."""
        self.prop_menu = QMenu(self)
        for shape, name, icon in PROPS:
            made = partial(with_prop, name=name, shape=shape)
            self._entry(
                self.prop_menu,
                name,
                icon,
                "1.75 m tall, for scale" if shape == "figure" else "",
                partial(self._add, made, f"Add {name}"),
            )
        self._button(
            column,
            "Light",
            "lightbulb",
            "A light that stands in the scene: round, or a panel; it falls on props, gas and particles",
            partial(self._add, with_light, "Add a light"),
        )
        self._menu_button(
            column, "Prop", "box", "A prop: box, ball, cylinder, cone, or a figure for scale", self.prop_menu
        )
        self._button(
            column, "Mesh", "import", "A mesh from a file as a prop (GLB, OBJ, PLY, STL)", self._ask_mesh
        )
        self._button(
            column,
            "Block",
            "shield",
            "Let the selected prop stop the layer that is worked on: only such pairs collide",
            self._stop,
        )

    def _fill_layers(self) -> None:
        """The kinds of layers, and the presets that there are now."""
        self.layer_menu.clear()
        for name, icon in (starter for view in VIEWS.values() for starter in view.starters):
            make = LAYERS[name]
            words = make.words
            self._entry(
                self.layer_menu,
                name,
                icon,
                words,
                partial(self._add, partial(_layered, make=make), f"Add {name.lower()}"),
            )
        kept = presets.all_presets()
        if kept:
            self.layer_menu.addSeparator()
            for name, file in kept:
                self._entry(
                    self.layer_menu,
                    name,
                    "bookmark",
                    "A preset of yours",
                    partial(self._add, partial(presets.with_preset, file=file), f"Add {name}"),
                )

    def _add_source(self) -> None:
        layer = self.state.layer
        self._add(lambda e: with_source(e, layer.id if layer is not None else None), "Add a source")

    def _stop(self) -> None:
        group, _, prop = self.state.selection.rpartition(".")
        if group != "props":
            self.state.said.emit("Select the prop that is to stop the layer first, in the tempo's rows.")
            return
        layer = self.state.layer
        self._add(
            lambda e: with_collider(e, prop, layer.id if layer is not None else None),
            f"Let a prop stop {layer.name if layer else 'the gas'}",
        )

    def _head(self, column: QVBoxLayout, text: str) -> None:
        self._group = text
        label = QLabel(text)
        label.setProperty("quiet", True)
        label.setContentsMargins(4, 6, 0, 2)
        self._heads.append(label)
        column.addWidget(label)

    def _button(self, column: QVBoxLayout, name: str, icon: str, tip: str, call: Callable[[], None]) -> None:
        button = QToolButton()
        button.setText(name)
        button.setIcon(theme.icon(icon))
        button.setIconSize(QSize(16, 16))
        button.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextUnderIcon)
        button.setProperty("tray", True)  # its size is the style's, which would override one set here
        button.setFont(theme.font(theme.SMALL))
        metrics = button.fontMetrics()
        tall = 16 + 4 + metrics.height() + 2  # icon, gap, label with its feet, edge
        button.setFixedHeight(tall)
        button.setProperty("tall", tall)
        button.setToolTip(tip)
        button.clicked.connect(call)
        if call is not _nothing:
            self.entries.append((self._group, name, tip, call))
        self.buttons[name] = button
        column.addWidget(button)

    def _entry(self, menu: QMenu, name: str, icon: str, tip: str, call: Callable[[], None]) -> None:
        action = menu.addAction(theme.icon(icon), name)
        assert action is not None
        action.setToolTip(tip or name)
        if menu is not self.layer_menu:  # which is filled anew each time
            self.entries.append((self._group, name, tip, call))
        action.triggered.connect(lambda _=False: call())

    def _menu_button(self, column: QVBoxLayout, name: str, icon: str, tip: str, menu: QMenu) -> None:
        menu.setToolTipsVisible(True)
        self._button(column, name, icon, tip, _nothing)
        self.buttons[name].setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.buttons[name].setMenu(menu)

    def _begin(self, name: str, button: str = "") -> Callable[[], None]:
        def begin() -> None:
            if self.state.effect.layers:
                self.ask_begin(name, button)
            else:
                self.begin(name)

        return begin

    def ask_begin(self, name: str, beside: str = "") -> QMenu:
        """Where there are layers already: whether to add to them, or to take their place; asked beside a
        button of the tray, by default that of the starting point."""
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        for text, icon, add in (
            (f"Add {name.lower()} to what is there", "plus", True),
            ("Take the place of all layers", "repeat", False),
        ):
            action = menu.addAction(theme.icon(icon), text)
            assert action is not None
            action.triggered.connect(lambda _=False, a=add: self.begin(name, a))
        button = self.buttons[beside or name]
        menu.popup(button.mapToGlobal(button.rect().topRight()))
        return menu

    def begin(self, name: str, add: bool = False) -> None:
        """Begin with a starting point, by its name: in place of all layers, or besides. The set stays."""
        make = STARTERS[name]
        document, effect = self.state.document, self.state.effect
        length = effect.seconds if document.was_set("seconds") else None  # one that was typed stays
        effect = make.added(effect) if add else make(effect, length)
        self.state.apply(effect, f"Add {name.lower()}" if add else f"Begin with {name}")
        self.state.select(f"layers.{self.state.effect.layers[0].id}")

    def _add(self, make: Callable, label: str) -> None:
        try:
            effect, path = make(self.state.effect)
        except TenkaError as error:
            self.state.refuse(error)
            return
        except KeyError:
            self.state.said.emit("There is no gas to feed yet: take a starting point first.")
            return
        self.state.apply(effect, label)
        self.state.select(path)

    def _ask_mesh(self) -> None:
        name, _ = QFileDialog.getOpenFileName(
            self, "Choose a mesh", str(self.state.folder or ""), "Meshes (*.glb *.obj *.ply *.stl)"
        )
        if name:
            self.add_mesh(Path(name))

    def add_mesh(self, file: Path) -> None:
        """Add a mesh as a prop; a bad file is said and changes nothing."""
        try:
            found = read(file)
        except TenkaError as error:
            self.state.refuse(error)
            return
        rig = found.rig
        own = (
            {"credit": rig.credit, "clip": rig.clips[0].name if rig.clips else ""} if rig is not None else {}
        )
        self._add(lambda e: with_prop(e, str(file), file.stem, **own), "Add a mesh")
        if found.notes:
            self.state.said.emit(f"{file.name}: " + "; ".join(found.notes) + ".")
