"""Builds a Debian package of the program in an environment of its own: dist/keen-trellis_*.deb.

A virtual environment under /usr/lib/keen-trellis holds what requirements.lock names, since Debian
has most of it in other versions; the interpreter is Debian's. Bytecode is made when the package is
installed, and goes with it.
"""

import gzip
import os
import re
import shutil
import subprocess
import sys
import tempfile
from pathlib import Path

ROOT = Path(__file__).parents[1]
HOME = Path("usr/lib/keen-trellis")
SIZES = (16, 22, 24, 32, 48, 64, 128, 256, 512)
NEEDS = (
    *("python3 (>= 3.11)", "python3 (<< 3.12)", "python3-venv", "libc6 (>= 2.28)", "libstdc++6"),
    *("libgl1", "libegl1", "libglib2.0-0", "libfontconfig1", "libdbus-1-3", "libxkbcommon0"),
    *("libxkbcommon-x11-0", "libxcb-cursor0", "libxcb-icccm4", "libxcb-keysyms1", "libxcb-image0"),
    *("libxcb-render-util0", "libxcb-shape0", "libpangoft2-1.0-0", "libharfbuzz-subset0"),
)
CONTROL = """\
Package: keen-trellis
Version: {version}
Architecture: {architecture}
Maintainer: The Keen Trellis developers <developers@keentrellis.example>
Installed-Size: {size}
Depends: {needs}
Recommends: desktop-file-utils, shared-mime-info
Suggests: default-dbus-session-bus
Section: database
Priority: optional
Description: joins and blends of tables, with every row in view
 Keen Trellis brings sheets of workbooks, text files, folders of files and
 tables of databases together before somebody reports on them. At every join it
 shows which rows found a partner, which did not and which multiplied, and lets
 one keep or leave each of them before anything is written.
"""
AFTER = f"""\
#!/bin/sh
set -e
if [ "$1" = configure ]; then
  /{HOME}/bin/python -m compileall -qq -j 0 -x /tests/ /{HOME}/lib || true
fi
"""
BEFORE_REMOVAL = f"""\
#!/bin/sh
set -e
find /{HOME} -name __pycache__ -type d -prune -exec rm -rf {{}} +
"""
COPYRIGHT = """\
Format: https://www.debian.org/doc/packaging-manuals/copyright-format/1.0/
Upstream-Name: Keen Trellis
Comment: /usr/lib/keen-trellis holds other packages, each with its own licence in its
 folder *.dist-info; keen-trellis-parts.txt beside this file lists them.

Files: *
Copyright: The Keen Trellis developers
License: MIT

Files: usr/lib/keen-trellis/lib/python3.11/site-packages/keen_trellis/desktop/fonts/*
Copyright: Braille Institute of America
License: OFL-1.1

License: MIT
{mit}

License: OFL-1.1
{ofl}
"""
OVERRIDES = """\
# the packages of the private environment are as their makers built them
keen-trellis: embedded-library
keen-trellis: unstripped-binary-or-object
keen-trellis: unstripped-static-library
keen-trellis: custom-library-search-path
keen-trellis: library-not-linked-against-libc
keen-trellis: shared-library-lacks-prerequisites
keen-trellis: arch-dependent-file-not-in-arch-specific-directory
"""


def main() -> None:
    (wheel,) = (ROOT / "dist").glob("*.whl")
    version = wheel.name.split("-")[1]
    architecture = said("dpkg", "--print-architecture")
    for left in (ROOT / "dist").glob("*.deb"):
        left.unlink()
    with tempfile.TemporaryDirectory() as folder:
        tree = Path(folder) / "tree"
        environment(tree, wheel)
        for_the_desktop(tree)
        documents(tree, version)
        control = tree / "DEBIAN"
        control.mkdir()
        size = sum(one.stat().st_size for one in tree.rglob("*") if one.is_file()) // 1024
        told = {"version": version, "architecture": architecture, "size": size}
        (control / "control").write_text(CONTROL.format(needs=", ".join(NEEDS), **told))
        for name, text in (("postinst", AFTER), ("prerm", BEFORE_REMOVAL)):
            (control / name).write_text(text)
            (control / name).chmod(0o755)
        as_debian_wants(tree)
        made = ROOT / "dist" / f"keen-trellis_{version}_{architecture}.deb"
        said("dpkg-deb", "--root-owner-group", "-Zxz", "-z2", "--build", str(tree), str(made))
    print(
        f"{made.relative_to(ROOT)}: {made.stat().st_size / 1e6:.0f} MB, {size // 1024} MB installed"
    )


def environment(tree: Path, wheel: Path) -> None:
    """Put the environment into the tree, as if it had been made where it will stand."""
    home = tree / HOME
    said("/usr/bin/python3", "-m", "venv", "--without-pip", "--symlinks", str(home))
    pip = [sys.executable, "-m", "pip", "--python", str(home / "bin" / "python"), "install"]
    pip += ["--quiet", "--disable-pip-version-check", "--no-compile"]
    said(*pip, "--require-hashes", "-r", str(ROOT / "requirements.lock"))
    said(*pip, "--no-deps", str(wheel))
    for script in (home / "bin").iterdir():
        if script.name not in ("python", "python3", "python3.11", "keen-trellis"):
            script.unlink()
    program = home / "bin" / "keen-trellis"
    text = program.read_text().partition("\n")[2]
    program.write_text(f"#!/{HOME}/bin/python\n{text}")
    config = (home / "pyvenv.cfg").read_text()
    (home / "pyvenv.cfg").write_text(re.sub(r"^command = .*\n", "", config, flags=re.M))
    for site in home.glob("lib/python*/site-packages"):
        for own in (*site.glob("*.dist-info/direct_url.json"), *site.glob("*.dist-info/RECORD")):
            own.unlink()  # both tell of the folder it was built in
        for left in list(site.rglob("__pycache__")):
            shutil.rmtree(left)
        for module in site.rglob("*.py"):  # nobody starts them: a first line that says how is lost
            text = module.read_bytes()
            if text.startswith(b"#!"):
                module.write_bytes(b"#" + text[text.index(b"\n") :])
    (tree / "usr/bin").mkdir(parents=True)
    (tree / "usr/bin/keen-trellis").symlink_to("../lib/keen-trellis/bin/keen-trellis")


def for_the_desktop(tree: Path) -> None:
    """Put the entry, the icons in all sizes, the type of documents and the completions there."""
    shipped = ROOT / "src" / "keen_trellis" / "shipped"
    share = tree / "usr" / "share"
    icons = share / "icons" / "hicolor"
    for source, place in (
        ("desktop/keen-trellis.desktop", share / "applications"),
        ("desktop/keen-trellis.xml", share / "mime" / "packages"),
        ("desktop/org.keentrellis.KeenTrellis.metainfo.xml", share / "metainfo"),
        ("desktop/keen-trellis.svg", icons / "scalable" / "apps"),
        ("completions/keen-trellis", share / "bash-completion" / "completions"),
        ("completions/_keen-trellis", share / "zsh" / "vendor-completions"),
        ("completions/keen-trellis.fish", share / "fish" / "vendor_completions.d"),
    ):
        place.mkdir(parents=True, exist_ok=True)
        shutil.copy(shipped / source, place)
    for size, picture in pictures(shipped / "desktop" / "keen-trellis.svg").items():
        place = icons / f"{size}x{size}" / "apps"
        place.mkdir(parents=True)
        (place / "keen-trellis.png").write_bytes(picture)
    manual = share / "man" / "man1" / "keen-trellis.1.gz"
    manual.parent.mkdir(parents=True)
    manual.write_bytes(gzip.compress((shipped / "man/keen-trellis.1").read_bytes(), 9, mtime=0))


def pictures(drawing: Path) -> dict[int, bytes]:
    """Return a drawing as PNG in all sizes."""
    os.environ["QT_QPA_PLATFORM"] = "offscreen"
    from PySide6.QtCore import QBuffer, QByteArray
    from PySide6.QtGui import QGuiApplication, QImage, QPainter
    from PySide6.QtSvg import QSvgRenderer

    application, made = QGuiApplication([]), {}
    for size in SIZES:
        image = QImage(size, size, QImage.Format.Format_ARGB32)
        image.fill(0)
        painter = QPainter(image)
        QSvgRenderer(str(drawing)).render(painter)
        painter.end()
        data = QByteArray()
        held = QBuffer(data)
        held.open(QBuffer.OpenModeFlag.WriteOnly)
        image.save(held, "PNG")
        made[size] = bytes(data.data())
    application.quit()
    return made


def documents(tree: Path, version: str) -> None:
    """Put the licences, the list of parts and the changes there."""
    place = tree / "usr" / "share" / "doc" / "keen-trellis"
    place.mkdir(parents=True)
    mit = (ROOT / "LICENSE").read_text()
    ofl = (ROOT / "src/keen_trellis/desktop/fonts/OFL.txt").read_text()
    (place / "copyright").write_text(COPYRIGHT.format(mit=indented(mit), ofl=indented(ofl)))
    parts = said(sys.executable, "-m", "pip", "list", "--path", *map(str, sites(tree)))
    (place / "keen-trellis-parts.txt").write_text(parts + "\n")
    changes = (
        f"keen-trellis ({version}) stable; urgency=medium\n\n  * See CHANGELOG.md.\n\n"
        " -- The Keen Trellis developers <developers@keentrellis.example>  "
        "Tue, 01 Dec 2026 00:00:00 +0000\n"
    )
    (place / "changelog.gz").write_bytes(gzip.compress(changes.encode(), 9, mtime=0))
    overrides = tree / "usr" / "share" / "lintian" / "overrides"
    overrides.mkdir(parents=True)
    (overrides / "keen-trellis").write_text(OVERRIDES)


def as_debian_wants(tree: Path) -> None:
    """Give every file and folder the rights that Debian's policy asks for."""
    for one in tree.rglob("*"):
        if one.is_symlink():
            continue
        runs = one.is_dir() or one.parent in (tree / HOME / "bin", tree / "DEBIAN")
        keeps = one.parent.name == "libexec"
        one.chmod(0o755 if (runs and one.name != "control") or keeps else 0o644)


def sites(tree: Path) -> list[Path]:
    """Return where the environment's packages stand."""
    return list((tree / HOME).glob("lib/python*/site-packages"))


def indented(text: str) -> str:
    """Return a text as a field of a control file holds it."""
    return "\n".join(f" {line}" if line.strip() else " ." for line in text.splitlines())


def said(*words: str) -> str:
    """Run a program; return what it says, or end with what it complains of."""
    done = subprocess.run(words, capture_output=True, text=True)
    if done.returncode:
        sys.exit(f"{' '.join(words)}: {done.stdout}{done.stderr}")
    return done.stdout.strip()


if __name__ == "__main__":
    main()
