"""Write requirements.lock (what runs) and requirements-dev.lock (what tests) from the present environment,
with the digests of all files of each version."""

import re
import subprocess
import sys
import tempfile
from importlib import metadata
from pathlib import Path

from packaging.requirements import Requirement

ROOT = Path(__file__).parent.parent


def closure(names: list[str]) -> dict[str, str]:
    """Name and version of each distribution that `names` need, and of all that those need."""
    found: dict[str, str] = {}
    waiting = [(name, frozenset[str]()) for name in names]
    seen = set()
    while waiting:
        name, extras = waiting.pop()
        key = re.sub(r"[-_.]+", "-", name).lower()
        if (key, extras) in seen:
            continue
        seen.add((key, extras))
        distribution = metadata.distribution(name)
        found[key] = distribution.version
        for line in distribution.requires or []:
            need = Requirement(line)
            if need.marker is None or any(need.marker.evaluate({"extra": e}) for e in (extras or {""})):
                waiting.append((need.name, frozenset(need.extras)))
    return found


def write(path: Path, pins: dict[str, str], head: str) -> None:
    """Write pins with the digests of all files of each version: no other is installed."""
    with tempfile.TemporaryDirectory() as name:
        wanted, found = Path(name) / "wanted.txt", Path(name) / "found.txt"
        wanted.write_text("".join(f"{name}=={version}\n" for name, version in sorted(pins.items())))
        words = ["--no-deps", "--generate-hashes", "--no-annotate", "--no-header", "--quiet"]
        line = [
            sys.executable,
            "-m",
            "uv",
            "pip",
            "compile",
            str(wanted),
            "--output-file",
            str(found),
            *words,
        ]
        subprocess.run(line, check=True, stdout=subprocess.DEVNULL)
        path.write_text(head + found.read_text())


if __name__ == "__main__":
    requires = [Requirement(line) for line in metadata.distribution("tenka").requires or []]
    run = closure([r.name for r in requires if r.marker is None])
    dev = closure([r.name for r in requires if r.marker is not None])
    write(ROOT / "requirements.lock", run, "# what Tenka runs on; written by tools/lock.py\n")
    write(
        ROOT / "requirements-dev.lock",
        {k: v for k, v in dev.items() if k not in run},
        "# what its tests need besides; written by tools/lock.py\n-r requirements.lock\n",
    )
