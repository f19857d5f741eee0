"""Arrows point inward only, among layers and among the rooms of the core; rooms and functions stay small."""

import ast
import os
import re
from collections.abc import Iterator
from pathlib import Path

import pytest

import even_ballot

ROOT = Path(even_ballot.__file__).parent
PROJECT = ROOT.parents[1]
MAY = {
    "core": {"core"},
    "formats": {"core", "formats"},
    "store": {"core", "store"},
    "demo": {"core", "formats", "demo"},
    "services": {"core", "formats", "store", "demo", "services"},
    "api": {"core", "services", "store", "api"},
    "cli": {"core", "services"},
}
NEVER_IN_CORE = {
    "fastapi", "starlette", "sqlalchemy", "uvicorn", "pyarrow", "pathlib", "os", "io", "socket", "subprocess",
}  # fmt: skip
ORDERS = {
    "core": (
        "numerics", "written", "data", "ledger", "screening", "sampling", "regression", "weighting", "calibration", "estimation",
        "models", "tables", "release", "disclosure", "study", "dependence", "draft",
    ),
    "formats": (
        "templates", "fonts", "sources", "exchange", "printed", "tables", "estimates", "analyses", "images", "documents",
        "workbooks", "writers",
    ),
    "services": (
        "workers", "scale", "in_place", "states", "dependence", "releases", "stations", "studies",
    ),
}  # fmt: skip
"""Rooms of a layer, each of which may use itself and those before it."""
FLAT = {
    "core": {"elsewhere", "faults", "lazy", "model", "progress", "__init__"},
    "formats": {"pages", "guarding", "__init__"},
    "services": {
        "answers", "backups", "by_workers", "demo", "drafting", "example", "running", "telling", "upkeep", "__init__",
    },
}  # fmt: skip
"""Files of a layer outside its rooms; every room of the core and of the formats may use them."""
MOST_FILES, MOST_LINES = 12, 40


def modules() -> Iterator[tuple[Path, ast.Module]]:
    for path in sorted(ROOT.rglob("*.py")):
        yield path, ast.parse(path.read_text())


def imports(tree: ast.AST) -> set[str]:
    found = set()
    for node in ast.walk(tree):
        if isinstance(node, ast.ImportFrom) and node.module:
            found |= {node.module, *(f"{node.module}.{alias.name}" for alias in node.names)}
        elif isinstance(node, ast.Import):
            found |= {alias.name for alias in node.names}
    return found


def test_every_layer_imports_inward_only() -> None:
    wrong = []
    for path, tree in modules():
        layer = path.relative_to(ROOT).parts[0].removesuffix(".py")
        for module in imports(tree):
            parts = module.split(".")
            ours = parts[0] == "even_ballot" and len(parts) > 1 and parts[1] != "__version__"
            if ours and parts[1] not in MAY.get(layer, set(MAY)):
                wrong.append(f"{path.relative_to(ROOT)} imports {module}")
    assert wrong == []


def test_the_core_knows_no_files_no_web_and_no_database() -> None:
    wrong = [
        (path.name, module)
        for path, tree in modules()
        if "core" in path.relative_to(ROOT).parts
        for module in imports(tree)
        if module.split(".")[0] in NEVER_IN_CORE
    ]
    assert wrong == []


@pytest.mark.parametrize("layer", ORDERS)
def test_every_room_uses_those_before_it_only(layer: str) -> None:
    rooms, wrong = ORDERS[layer], []
    for path, tree in modules():
        parts = path.relative_to(ROOT).with_suffix("").parts
        if parts[0] != layer or parts[1] in FLAT[layer]:
            continue
        assert parts[1] in rooms, f"{path} is in no room that is known; its order among the others is wanted"
        for module in imports(tree):
            used = module.split(".")
            if used[:2] != ["even_ballot", layer] or len(used) < 3 or used[2] in FLAT[layer]:
                continue
            if used[2] in rooms and rooms.index(used[2]) > rooms.index(parts[1]):
                wrong.append(f"{'/'.join(parts)} imports {module}")
    assert wrong == []


def circles(arrows: dict[str, set[str]]) -> list[list[str]]:
    """Names that lead to each other and back."""

    def reached(start: str) -> set[str]:
        seen, left = set[str](), [start]
        while left:
            new = arrows.get(left.pop(), set()) - seen
            seen |= new
            left += new
        return seen

    to = {name: reached(name) for name in arrows}
    return [
        sorted(other for other in to[name] if name in to.get(other, ()))
        for name in arrows
        if name in to[name]
    ]


def test_a_circle_is_found() -> None:
    assert circles({"a": {"b"}, "b": {"c"}, "c": {"a"}, "d": {"a"}}) == [["a", "b", "c"]] * 3
    assert circles({"a": {"b"}, "b": set()}) == []


def test_no_files_import_each_other() -> None:
    """For types neither."""
    files = {".".join(path.relative_to(ROOT).with_suffix("").parts): tree for path, tree in modules()}
    arrows = {}
    for name, tree in files.items():
        found = {module.removeprefix("even_ballot.") for module in imports(tree)}
        # A folder's own file hands on what its files define; who names one of those does not ask it.
        inner = {of.rpartition(".")[0] for of in found if of in files}
        arrows[name] = {of if of in files else f"{of}.__init__" for of in found - inner} & set(files) - {name}
    assert sum(map(len, arrows.values())) > 1000
    assert circles(arrows) == []


def test_no_files_of_the_interface_import_each_other() -> None:
    root = PROJECT / "web" / "src"
    files = {str(path.relative_to(root).with_suffix("")): path for path in root.rglob("*.ts*")}
    arrows = {}
    for name, path in files.items():
        named = re.findall(r'(?:from|import\() ?"(\.[^"]+)"', path.read_text())
        found = {os.path.normpath(f"{Path(name).parent}/{of}") for of in named}
        arrows[name] = {of if of in files else f"{of}/index" for of in found} & set(files)
    assert sum(map(len, arrows.values())) > 500
    assert circles(arrows) == []


def test_no_room_holds_more_than_a_dozen_files() -> None:
    """Migrations add one for each change of the database, for ever."""
    rooms = {path.parent for path, _ in modules() if "migrations" not in path.parts}
    rooms |= {path.parent for path in (PROJECT / "tests").rglob("test_*.py")}
    full = {
        str(room.relative_to(PROJECT)): n
        for room in rooms
        if (n := sum(path.name != "__init__.py" for path in room.glob("*.py"))) > MOST_FILES
    }
    assert full == {}


def test_functions_are_short_or_say_why_not() -> None:
    """A line above the function, or above its decorators, begins with `# Long:`."""
    wrong = []
    for path, tree in modules():
        lines = path.read_text().split("\n")
        for node in ast.walk(tree):
            if not isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef):
                continue
            first = node.body[0]
            said = isinstance(first, ast.Expr) and isinstance(first.value, ast.Constant)
            body = node.body[1:] if said else node.body
            length = (body[-1].end_lineno or 0) - body[0].lineno + 1 if body else 0
            above = lines[min([node.lineno, *(d.lineno for d in node.decorator_list)]) - 2].strip()
            if length > MOST_LINES and not re.match(r"# Long: \w", above):
                wrong.append(f"{path.relative_to(ROOT)}: {node.name} has {length} lines")
    assert wrong == []


def test_every_public_function_of_the_core_has_an_example_that_runs() -> None:
    without = [
        f"{path.relative_to(ROOT)}: {node.name}"
        for path, tree in modules()
        if path.is_relative_to(ROOT / "core")
        for node in tree.body
        if isinstance(node, ast.FunctionDef) and not node.name.startswith("_")
        if ">>> " not in (ast.get_docstring(node) or "")
    ]
    assert without == []
