"""All actions of the window, each with its name and its keys."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from PyQt6.QtGui import QKeySequence

from tenka.app.dialogs.filming import ask_film
from tenka.app.dialogs.kept import show_kept
from tenka.app.dialogs.stepping import show_steps
from tenka.app.guide import open_for_focus

if TYPE_CHECKING:
    from tenka.app.window import Window

STATIONS = ("Shape", "Look", "Pack", "Budget", "Proof")


def _find_savings(window: Window) -> None:
    window.go_to("budget")
    window.budget.find_savings()


def _compare_routes(window: Window) -> None:
    window.go_to("budget")
    window.budget.compare_routes()


def _show_scene(window: Window) -> None:
    window.go_to("budget")
    window.budget.show_part(3)


def _take_back(window: Window, again: bool) -> None:
    """Undo where the keyboard is: a scene has its own edits."""
    if not window.budget.takes_back(again):
        (window.redo if again else window.undo)()


def add_actions(window: Window) -> None:
    """Every action with its name, its keys, and further words by which it is found."""
    tempo, stage, hand, state = window.tempo, window.stage, window.in_hand, window.state
    add = window.actions_.add
    for n, name in enumerate(STATIONS):
        add(f"Go to {name}", partial(window.go_to, name.lower()), str(n + 1), plain=True)
    add("Find savings on the board", partial(_find_savings, window), words="suggest cheaper budget variants")
    add("Scene of several effects", partial(_show_scene, window), words="level sequence time axis together")
    add("Compare routes by distance", partial(_compare_routes, window), words="lod level of detail far near")
    add(
        "What is kept of simulations", partial(show_kept, state, window), words="cache frames disk clean room"
    )
    add("Compare 1 and 4 sub-steps", partial(show_steps, state, window), words="substeps accuracy converge")
    add("Find anything", window.finder.open, "Ctrl+K", words="command search palette")
    add("Guide to what has the keyboard", partial(open_for_focus, window), "F1", words="help manual docs")
    add("Walk through a first effect", window.walk.begin, words="tutorial tour learn start help")
    add("Undo", partial(_take_back, window, False), QKeySequence.StandardKey.Undo)
    add("Redo", partial(_take_back, window, True), "Ctrl+Shift+Z", more="Ctrl+Y")
    add("New effect", window.new, QKeySequence.StandardKey.New)
    add("Start page", window.show_start, "Ctrl+Home", words="begin demos recent examples home")
    add("Back to the stage", window.leave_start, "Esc", plain=True)
    add("Open an effect", window.ask_open, QKeySequence.StandardKey.Open)
    add("Save", window.save, QKeySequence.StandardKey.Save)
    add("Save as", window.save_as, "Ctrl+Shift+S")
    add("Quit", window.close, QKeySequence.StandardKey.Quit)
    add("Play or pause", window.space, "Space", plain=True)
    add("To the first frame", lambda: state.go(0), "Home", plain=True)
    add("To the last frame", lambda: state.go(state.effect.frames - 1), "End", plain=True)
    add("One frame back", lambda: state.go(state.frame - 1), ",", plain=True)
    add("One frame on", lambda: state.go(state.frame + 1), ".", plain=True)
    add("Play backward", tempo.play_backward, "Shift+Space", plain=True, words="reverse")
    add("Play slower", lambda: tempo.pace_by(-1), "Ctrl+,", words="speed slow motion pace")
    add("Play faster", lambda: tempo.pace_by(1), "Ctrl+.", words="speed pace")
    add("Play from here on", lambda: tempo.mark("begin"), "[", plain=True, words="loop stretch range in")
    add("Play up to here", lambda: tempo.mark("end"), "]", plain=True, words="loop stretch range out")
    add("Play all again", lambda: tempo.rows.play_only(None), "\\", plain=True, words="loop stretch whole")
    add("Look closer at time", lambda: tempo.rows.zoom(1.5), "Ctrl+=", words="zoom in tempo")
    add("See more of time", lambda: tempo.rows.zoom(1 / 1.5), "Ctrl+-", words="zoom out tempo")
    add("All of the time", tempo.rows.show_all, "Ctrl+0", words="zoom whole tempo")
    add("Every frame or true rate", lambda: tempo.mode.toggle(), "R", plain=True)
    add("Add a cue here", tempo.cue.click, words="flag moment marker")
    add("Try another seed", tempo.seed.click, words="variation dice random")
    add("Look at what is selected", stage.frame_selected, "F", plain=True, words="frame focus zoom")
    add("Turn the light", lambda: stage.light_button.toggle(), "L", plain=True, words="sun")
    inside = "slice inspect path lines vectors sleep"
    add("Look inside", lambda: stage.inspect_button.toggle(), "I", plain=True, words=inside)
    sides = "four views front right top orthographic quad"
    add("Three sides", lambda: stage.sides_button.toggle(), "T", plain=True, words=sides)
    eyes = "camera view point look through shot"
    add("Look through the next camera", stage.through.next, "O", plain=True, words=eyes)
    add("Keep this view as a camera", stage.through.keep, words=eyes)
    add("Key the camera here", stage.through.key_here, "Shift+O", plain=True, words=eyes)
    add("Boxes and handles", lambda: stage.box_button.toggle(), "B", plain=True, words="gizmo overlay")
    fit = "fire lamp flicker emission room"
    add("Fit a light to the gas", window.fire_light.fit, words=fit)
    film = "render movie video mp4 webm png exr picture export"
    add("Final pictures and movies", partial(ask_film, stage), "Ctrl+Shift+M", words=film)
    add("Stage alone", window.stage_alone, "F11", words="full screen")
    add("Heat of overdraw", window.toggle_heat, "H", plain=True, words="fill cost")
    add("Pack", lambda: window.pack.start() if window.station == "pack" else window.go_to("pack"), "Ctrl+P")
    add("Keep the layer as a preset", hand.ask_preset, words="save store library template")
    add("Rename", hand.rename, "F2")
    add("Duplicate", hand.duplicate, "Ctrl+D", words="double clone")
    add("Remove what is selected", hand.remove, "Delete", plain=True, words="delete")
    add("Copy as text", hand.copy, QKeySequence.StandardKey.Copy, plain=True)
    add("Cut", hand.cut, QKeySequence.StandardKey.Cut, plain=True)
    add("Paste", hand.paste, QKeySequence.StandardKey.Paste, plain=True)
    add("Paste values", hand.paste_values, "Ctrl+Shift+V", plain=True)
    add("Move up in its group", partial(hand.move, -1), "Ctrl+Up", words="order")
    add("Move down in its group", partial(hand.move, 1), "Ctrl+Down", words="order")
