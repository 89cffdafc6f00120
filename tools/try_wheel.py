"""Tries the wheel in an environment of its own, away from the clone: demo, delivery, report, entry.

What the program needs is lent by this environment; with --whole it is installed there by pip, as
somebody would who has nothing but the wheel. Nothing of the clone can be imported either way.
"""

import os
import subprocess
import sys
import sysconfig
import tempfile
import venv
from pathlib import Path

ROOT = Path(__file__).parents[1]
_COPIED = """
from pathlib import Path
import keen_trellis
from keen_trellis.base.shipped import demo_in
assert "site-packages" in keen_trellis.__file__, keen_trellis.__file__
print(demo_in(Path("demo")))
"""


def tried(wheel: Path, folder: Path, whole: bool = False) -> list[str]:
    """Install a wheel into a folder, use it there, and return what was made."""
    venv.create(folder / "env", with_pip=True)
    python = folder / "env" / "bin" / "python"
    rooms = next((folder / "env").glob("lib/python*/site-packages"))
    if not whole:  # a plain path: what is installed there for editing is not found by it
        (rooms / "lent.pth").write_text(sysconfig.get_path("purelib"))
    surroundings = {
        "PATH": os.environ["PATH"],
        "HOME": str(folder),
        "XDG_DATA_HOME": str(folder / "data"),
        "XDG_STATE_HOME": str(folder / "state"),
        "QT_QPA_PLATFORM": "offscreen",
    }
    surroundings |= {name: value for name, value in os.environ.items() if name.startswith("PIP_")}

    def run(*words: str) -> str:
        done = subprocess.run(
            words, cwd=folder, env=surroundings, capture_output=True, text=True, timeout=1_200
        )
        assert done.returncode == 0, f"{' '.join(words)}: {done.stdout}{done.stderr}"
        return done.stdout

    run(str(python), "-m", "pip", "install", *([] if whole else ["--no-deps"]), str(wheel))
    program = str(folder / "env" / "bin" / "keen-trellis")
    run(str(python), "-c", _COPIED)
    demo = "demo/whole-season.trellis"
    run(program, "run", demo, "--deliver", "--report", "season.html", "--json")
    surroundings["LANG"] = "de_DE.UTF-8"
    assert "Bahn Sailings" in run(program, "describe", demo)
    made = [str(path.relative_to(folder)) for path in folder.glob("demo/out/*")]
    assert made and (folder / "season.html").stat().st_size > 10_000, made
    run(program, "desktop", "--install")
    entry = folder / "data" / "applications" / "keen-trellis.desktop"
    assert f"Exec={program} open %f" in entry.read_text(), entry.read_text()
    run(program, "desktop", "--remove")
    assert not entry.exists()
    return [run(program, "--version").strip(), *sorted(made)]


def main() -> None:
    (wheel,) = (ROOT / "dist").glob("*.whl")
    with tempfile.TemporaryDirectory() as folder:
        for line in tried(wheel, Path(folder), "--whole" in sys.argv[1:]):
            print(line)


if __name__ == "__main__":
    main()
