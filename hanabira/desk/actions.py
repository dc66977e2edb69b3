"""Menus, the searchable commands and their keys."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PyQt6.QtGui import QAction, QKeySequence
from PyQt6.QtWidgets import QMenu

from hanabira.desk.explain import TOPICS
from hanabira.desk.menus import area_commands, easel_commands, plan_commands, recipe_commands, shelf_commands, study_commands
from hanabira.desk.stages.areas import Areas
from hanabira.desk.stages.kit_room import KitRoom
from hanabira.desk.stages.recipe import Recipe
from hanabira.desk.stages.study import Study
from hanabira.session.looks import LOOKS
from hanabira.studio.records import STAGES

if TYPE_CHECKING:
    from hanabira.desk.window import Desk

ROOMS = ("Shelf", "Kit", "Practice")


def build_actions(desk: Desk) -> dict[str, QAction]:
    """Make menus, the searchable commands and their keys; actions by their words."""
    bar = desk.menuBar()
    bar.setNativeMenuBar(False)
    actions: dict[str, QAction] = {}
    recipe, areas, study = desk.stages["Recipe"], desk.stages["Areas"], desk.stages["Study"]
    assert isinstance(recipe, Recipe) and isinstance(areas, Areas) and isinstance(study, Study)

    def menu(name: str) -> QMenu:
        m = bar.addMenu(name)
        m.setToolTipsVisible(True)
        return m

    def add(m: QMenu, words: str, run: Callable[[], object], key: str = "", tip: str = "") -> QAction:
        action = QAction(words, desk)
        if key:
            action.setShortcut(QKeySequence(key))
        action.setToolTip(tip or words)
        action.triggered.connect(lambda _=False: run())
        m.addAction(action)
        desk.addAction(action)
        actions[words] = action
        return action

    m = menu("Commission")
    add(m, "New commission", desk.new_commission, "Ctrl+N")
    add(m, "Add a photo", desk.ask_photo, "Ctrl+O")
    add(m, "Print the recipe card", desk.print_card, "Ctrl+P", "Write a PDF with the areas, layers and values")
    for words, run in [*desk.records.all, *shelf_commands(desk)]:
        add(m, words, run)
    add(m, "Make a backup now", desk.back_up, "", "Copy the studio’s database into its backups")
    add(m, "Go back to a backup", desk.go_back, "", "The studio as it was on an earlier day; what it is now is set aside")
    m.addSeparator()
    add(m, "Close", desk.close, "Ctrl+Q")
    m = menu("Edit")
    add(m, "Take back", desk.take_back, "Ctrl+Z")
    add(m, "Do again", desk.do_again, "Ctrl+Shift+Z")
    m = menu("Go")
    for k, name in enumerate(STAGES):
        add(m, name, lambda name=name: desk.go(name), f"Ctrl+{k + 1}")
    m.addSeparator()
    for name in ROOMS:
        add(m, name, lambda name=name: desk.show_room(name))
    m = menu("Look")
    for key, (name, letter, words, _maths) in LOOKS.items():
        add(m, f"Pin: {name}", lambda key=key: desk._pin(key), "", f"{words}. Hold {letter} for a short look")
    m.addSeparator()
    add(m, "Whole sheet", lambda: desk._mat_do(lambda mat: mat.fit()), "Ctrl+0")
    add(
        m,
        "True size",
        lambda: desk._mat_do(lambda mat: mat.true_size(desk.px_per_mm)),
        "Ctrl+T",
        "A millimetre of paper is a millimetre of the screen",
    )
    add(m, "Nearer", lambda: desk._mat_do(lambda mat: mat.zoom_at(mat.inner.center(), 1.25)), "Ctrl+Up")
    add(m, "Farther", lambda: desk._mat_do(lambda mat: mat.zoom_at(mat.inner.center(), 0.8)), "Ctrl+Down")
    add(m, "Hold a ruler to the screen", desk.calibrate_screen, "", "Make true size true on this screen")
    m.addSeparator()
    add(m, "Evening or day", desk.switch_theme, "Ctrl+E")
    add(m, "Larger text", lambda: desk._text_step(1), "Ctrl++")
    add(m, "Smaller text", lambda: desk._text_step(-1), "Ctrl+-")
    m = menu("Study")
    for words, run in study_commands(desk, study):
        add(m, words, run)
    m = menu("Areas")
    for words, run in area_commands(desk, areas):
        add(m, words, run)
    m.addSeparator()
    add(m, "Next area", lambda: desk._step_area(1), "Ctrl+Right")
    add(m, "Area before", lambda: desk._step_area(-1), "Ctrl+Left")
    add(m, "Name the area", desk.name_area, "F2")
    add(m, "Set the surface of the area", desk.set_surface)
    add(m, "Delete the area", areas.delete, "Ctrl+Del")
    m = menu("Recipe")
    add(m, "Solve the layers anew", recipe.solve, "Ctrl+R")
    add(m, "Add a layer", recipe.add_layer)
    add(m, "Remove the layer", recipe.remove_layer)
    add(m, "Lay the layer later", recipe.move_up)
    add(m, "Lay the layer earlier", recipe.move_down)
    add(m, "Press harder", lambda: desk._press(1))
    add(m, "Press lighter", lambda: desk._press(-1))
    add(m, "One pass more", lambda: desk._pass(1))
    add(m, "One pass less", lambda: desk._pass(-1))
    add(m, "Take the best other pencil", desk._best_swap)
    add(m, "Lock or unlock the layer", recipe.lock)
    add(m, "Other ways to lay the area", recipe.other_ways)
    add(m, "Burnish with white", recipe.burnish)
    add(m, "Keep the pencil, solve its pressure anew", recipe.keep_pencil)
    for words, run in recipe_commands(desk, recipe):
        add(m, words, run)
    m = menu("Plan")
    for words, run in plan_commands(desk):
        add(m, words, run)
    m = menu("Easel")
    for words, run in easel_commands(desk):
        add(m, words, run)
    m = menu("Kit")
    kit = desk.stages["Kit"]
    assert isinstance(kit, KitRoom)
    add(m, "Open the kit room", lambda: desk.show_room("Kit"), "Ctrl+K")
    for words, run in kit.commands():
        add(m, words, run)
    m = menu("Help")
    for topic, (title, _words) in TOPICS.items():
        add(m, title, lambda topic=topic: desk.explain(topic))
    add(m, "Find a command", desk.find_command, "/")
    return actions
