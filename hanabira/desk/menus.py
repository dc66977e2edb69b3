"""What the menus Study and Areas hold: every act of the bench card and the roll, by name."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from hanabira.core.solver.area import BANDS
from hanabira.craft.templates import templates
from hanabira.desk.stages import areas_cards, recipe_cards, study_print
from hanabira.session import area_edits

if TYPE_CHECKING:
    from hanabira.desk.stages.areas import Areas
    from hanabira.desk.stages.easel import Easel
    from hanabira.desk.stages.plan import Plan
    from hanabira.desk.stages.recipe import Recipe
    from hanabira.desk.stages.shelf import Shelf
    from hanabira.desk.stages.study import Study
    from hanabira.desk.window import Desk

Command = tuple[str, Callable[[], object]]
TOOL_COMMANDS = (
    ("indent", "Indent lines first"),
    ("solvent", "Blend with solvent"),
    ("stump", "Rub with a stump"),
    ("lift", "Lift a little"),
    ("erase", "Erase"),
    ("scrape", "Scrape lights out"),
)


def study_commands(desk: Desk, study: Study) -> list[Command]:
    """Words and acts of the menu Study."""

    def tool(way: str, name: str) -> Callable[[], object]:
        def take() -> None:
            desk.go("Study")
            study.choose_way(way)
            study.choose_tool(name)

        return take

    def only(act: Callable[[], object]) -> Callable[[], object]:
        def run() -> None:
            desk.go("Study")
            act()

        return run

    return [
        ("Move the view", lambda: (desk.go("Study"), study.choose_way("look"))),
        ("Frame the photo", tool("frame", "move")),
        ("As much of the photo as fits", study.whole),
        ("Straighten by a level line", tool("frame", "level")),
        ("Mirror the photo for good", study.mirror),
        ("Set the focal point", tool("frame", "focal")),
        ("Pick a grey or white", tool("light", "pick")),
        ("Pick a known colour", tool("light", "known")),
        ("Guess the light", study.automatic_light),
        ("Light as taken", study.as_taken),
        ("Say where the light comes from", tool("light", "sun")),
        ("Draw round the animal to cut it out", tool("cut", "outline")),
        ("Keep stroke", tool("cut", "keep")),
        ("Drop stroke", tool("cut", "drop")),
        ("Show the animal on the backdrop", lambda: study.show_cut(True)),
        ("Show the photo’s own surroundings", lambda: study.show_cut(False)),
        ("Forget the cut", study.forget_cut),
        ("Measure a line", tool("grid", "line")),
        ("Measure an angle", tool("grid", "angle")),
        ("Show or hide the grid", only(lambda: study.set_grid("grid_on", not study.grid_on))),
        ("Print the photo at true size", lambda: study_print.print_true_size(study, True)),
        ("Print lines to trace at true size", lambda: study_print.print_true_size(study, False)),
        ("Print the grey wedge", lambda: study_print.print_wedge(study)),
    ]


def area_commands(desk: Desk, areas: Areas) -> list[Command]:
    """Words and acts of the menu Areas."""
    model = areas.model

    def way(name: str) -> Callable[[], object]:
        return lambda: (desk.go("Areas"), areas.choose_way(name))

    out: list[Command] = [
        ("Draw an area with the loop", way("loop")),
        ("Draw an area by corners", way("corners")),
        ("Find an area by touch", way("touch")),
        ("Click an eye", way("eye")),
        ("Reshape the chosen area", way("reshape")),
        ("Push the chosen area’s edge", way("push")),
        ("Comb the chosen area", way("comb")),
        ("Join the next loop to the area", lambda: areas.next_loop("join")),
        ("Cut the next loop away from the area", lambda: areas.next_loop("cut")),
        ("Cut the area along what lies on it", lambda: area_edits.split_from_neighbours(model)),
        ("Close the area’s holes", lambda: area_edits.close_holes(model)),
        ("Lay the area on top", lambda: area_edits.lay(model, 1)),
        ("Lay the area underneath", lambda: area_edits.lay(model, -1)),
        ("Mirror the area to the other side", lambda: area_edits.mirror_over(model)),
        ("Work the area earlier", lambda: area_edits.step_order(model, -1)),
        ("Work the area later", lambda: area_edits.step_order(model, 1)),
        ("Add a part to the marking", lambda: areas.trace("add")),
        ("Take a part from the marking", lambda: areas.trace("away")),
        ("Write the marking as SVG", lambda: areas_cards.write_marking(areas)),
    ]
    for key, template in templates().items():
        out.append((f"Propose areas: {template.name.lower()}", lambda key=key: (desk.go("Areas"), areas.choose_template(key))))  # type: ignore[misc]
    return out


def recipe_commands(desk: Desk, recipe: Recipe) -> list[Command]:
    """Words and acts of the menu Recipe beyond those on single layers."""
    out: list[Command] = [(words, lambda tool=tool: recipe.add_tool(tool)) for tool, words in TOOL_COMMANDS]  # type: ignore[misc]
    out += [(f"Show the stack in the {band}", lambda band=band: recipe._show_band(band)) for band in BANDS]  # type: ignore[misc]
    for key, words in recipe_cards.TABS:
        out.append((f"Show the card: {words.lower()}", lambda key=key: (desk.go("Recipe"), recipe.show_tab(key))))  # type: ignore[misc]
    out.append(("Part the layer by value", lambda: recipe_cards.split(recipe)))
    out.append(("Open a technique", desk.writers.open_technique))
    out.append(("Fewest pencils for this area", lambda: recipe_cards.fewer(recipe)))
    return out + [(f"Write: {words[:1].lower()}{words[1:]}", run) for words, run in desk.writers.all]


def plan_commands(desk: Desk) -> list[Command]:
    """Words and acts of the menu Plan."""
    plan: Plan = desk.stages["Plan"]  # type: ignore[assignment]

    def card(name: str) -> Callable[[], object]:
        return lambda: (desk.go("Plan"), plan.show_card(name))

    return [
        ("Show the chosen step", card("step")),
        ("Show the hours", card("hours")),
        ("Show how it is worked and the days", card("days")),
        ("Show the materials", card("materials")),
        ("Back to the solved order", desk.model.planner.forget_moves),
        ("Write: calendar file", plan.write_calendar),
    ]


def easel_commands(desk: Desk) -> list[Command]:
    """Words and acts of the menu Easel."""
    easel: Easel = desk.stages["Easel"]  # type: ignore[assignment]

    def at(act: Callable[[], object]) -> Callable[[], object]:
        def run() -> None:
            desk.go("Easel")
            act()

        return run

    return [
        ("Step done", at(easel.done)),
        ("Step back", at(easel.back)),
        ("Skip the step", at(easel.skip)),
        ("Note to the step", at(easel.note)),
        ("Another pencil was used", at(easel.swapped)),
        ("Photograph the work", at(easel.photograph)),
        ("Pause or go on", at(easel.pause)),
        ("Turn the picture to the left", at(lambda: easel.turn(15))),
        ("Turn the picture to the right", at(lambda: easel.turn(-15))),
        ("Turn the picture a little to the left", at(lambda: easel.turn(3))),
        ("Turn the picture a little to the right", at(lambda: easel.turn(-3))),
        ("Picture upright", at(lambda: easel.turn(-easel.mat.turn_deg))),
        ("Larger or usual type at the easel", at(easel.larger)),
        ("Show or hide the log", at(lambda: easel.show_bench(not easel.bench_on))),
        ("Hours of the log", at(lambda: easel.show_tab("hours"))),
        ("Pencils used and worn", at(lambda: easel.show_tab("pencils"))),
        ("What did I use here", at(lambda: easel.show_tab("here"))),
        ("Where photos of the work come from", at(lambda: easel.show_tab("write"))),
    ]


def shelf_commands(desk: Desk) -> list[Command]:
    """Acts on the open commission that belong to the shelf."""
    shelf: Shelf = desk.stages["Shelf"]  # type: ignore[assignment]
    return [
        ("Take in a bundle", shelf.take_in),
        ("Duplicate the commission as a template", lambda: shelf.duplicate(desk.model.settings.get("commission"))),
        ("Put the commission into the archive or back", lambda: shelf.archive(desk.model.settings.get("commission"))),
    ]
