"""The project itself: layers, types, style, lock files."""

import os
import re
import subprocess
import sys
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[2]
WEB = ROOT / "web"

CHECKS = {
    "ruff": (["ruff", "check", "src", "tests"], ROOT),
    "ruff format": (["ruff", "format", "--check", "src", "tests"], ROOT),
    "mypy": (["mypy"], ROOT),
    "import-linter": (["lint-imports"], ROOT),
    "svelte-check": (["npm", "run", "--silent", "check"], WEB),
    "vitest": (["npm", "run", "--silent", "test"], WEB),
    "eslint and prettier": (["npm", "run", "--silent", "lint"], WEB),
}


@pytest.mark.parametrize("name", CHECKS)
def test_checks_pass(name):
    command, folder = CHECKS[name]
    run = subprocess.run(command, cwd=folder, capture_output=True, text=True, check=False)
    assert run.returncode == 0, run.stdout[-4000:] + run.stderr[-2000:]


@pytest.mark.parametrize(
    ("where", "wrong"),
    [
        ("arrays.py", "ashblend.store.blobs"),
        ("tree/node.py", "ashblend.core.materials.look"),
        ("channels/channel.py", "ashblend.core.recipe.document"),
    ],
)
def test_imports_the_wrong_way_would_be_found(tmp_path, where, wrong):
    """The contracts are not empty: a core that knows the store breaks them, and a folder that knows one above it."""
    import shutil

    shutil.copytree(ROOT / "src", tmp_path / "src", ignore=shutil.ignore_patterns("__pycache__"))
    shutil.copy(ROOT / "pyproject.toml", tmp_path)
    file = tmp_path / "src" / "ashblend" / "core" / where
    file.write_text(f"{file.read_text()}\nimport {wrong}\n")
    run = subprocess.run(
        ["lint-imports", "--no-cache"],
        cwd=tmp_path,
        capture_output=True,
        text=True,
        check=False,
        env={**os.environ, "PYTHONPATH": str(tmp_path / "src")},
    )
    assert run.returncode != 0 and "BROKEN" in run.stdout


def test_a_part_of_the_core_brings_no_more_than_it_needs():
    code = "import sys, ashblend.core.channels.channel; print(*(m for m in sys.modules if m.startswith('ashblend')))"
    run = subprocess.run(
        [sys.executable, "-c", code],
        capture_output=True,
        text=True,
        check=True,
        env={**os.environ, "PYTHONPATH": str(ROOT / "src")},
    )
    assert len(run.stdout.split()) <= 12, run.stdout


WITHOUT = """
import sys
for name in ("playwright", "sqlalchemy", "psycopg", "alembic", "fastapi", "starlette", "uvicorn", "httpx2"):
    sys.modules[name] = None
import pytest
sys.exit(pytest.main(["-q", "-p", "no:cacheprovider", "tests/core/test_interlock.py", "tests/core/test_channels.py"]))
"""


def test_tests_of_the_core_need_no_browser_no_database_and_no_web():
    run = subprocess.run(
        [sys.executable, "-c", WITHOUT], cwd=ROOT, capture_output=True, text=True, check=False
    )
    assert run.returncode == 0 and "skipped" not in run.stdout, run.stdout[-3000:] + run.stderr[-2000:]


def tracked() -> list[Path]:
    files = subprocess.run(
        ["git", "ls-files"], cwd=ROOT, capture_output=True, text=True, check=True
    ).stdout.split("\n")
    return [ROOT / f for f in files if f and (ROOT / f).is_file()]


def test_lock_files_hold_no_address():
    locks = [*sorted((ROOT / "locks").glob("*.lock")), WEB / "package-lock.json"]
    assert len(locks) == 4
    for lock in locks:
        text = lock.read_text()
        assert '"resolved"' not in text and "index-url" not in text and "find-links" not in text, lock
        # Addresses of funding pages and home pages are the packages' own words; registries are not.
        for host in re.findall(r"https?://([^/\"\s]+)", text):
            assert not re.search(r"registry|pypi|npm|mirror|\d+\.\d+\.\d+\.\d+", host), f"{lock}: {host}"


def test_nothing_of_one_machine_is_written_down():
    for file in tracked():
        if file.suffix in (".png", ".woff2") or file == Path(__file__):
            continue
        text = file.read_text(errors="ignore")
        assert not re.search(r"/(home|root|work)/\w", text), file


def test_python_locks_pin_everything_by_hash():
    for name in ("runtime", "dev", "node"):
        text = (ROOT / "locks" / f"{name}.lock").read_text()
        pins = re.findall(r"^[a-z0-9][^ ]*==", text, re.MULTILINE)
        assert len(pins) > 0
        for block in re.split(r"\n(?=[a-z0-9])", text):
            assert "--hash=sha256:" in block or block.startswith("#"), block[:80]
