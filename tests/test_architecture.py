"""Arrows point inward only."""

import ast
from pathlib import Path

import even_ballot

ROOT = Path(even_ballot.__file__).parent
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
    "fastapi",
    "starlette",
    "sqlalchemy",
    "uvicorn",
    "pyarrow",
    "pathlib",
    "os",
    "io",
    "socket",
    "subprocess",
}


def imports(path: Path) -> set[str]:
    found = set()
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.ImportFrom) and node.module:
            found.add(node.module)
        elif isinstance(node, ast.Import):
            found |= {alias.name for alias in node.names}
    return found


def test_every_layer_imports_inward_only() -> None:
    wrong = []
    for path in ROOT.rglob("*.py"):
        layer = path.relative_to(ROOT).parts[0].removesuffix(".py")
        for module in imports(path):
            parts = module.split(".")
            if parts[0] == "even_ballot" and len(parts) > 1 and parts[1] not in MAY.get(layer, set(MAY)):
                wrong.append(f"{path.relative_to(ROOT)} imports {module}")
    assert wrong == []


def test_the_core_knows_no_files_no_web_and_no_database() -> None:
    wrong = [
        (path.name, module)
        for path in (ROOT / "core").rglob("*.py")
        for module in imports(path)
        if module.split(".")[0] in NEVER_IN_CORE
    ]
    assert wrong == []
