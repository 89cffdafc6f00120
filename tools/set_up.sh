#!/usr/bin/env bash
# Sets up .venv: what the program needs (requirements.lock), and with "dev" what tests, checks and
# benchmarks need on top (requirements-dev.lock). What is there already is left as it is.
set -euo pipefail
cd "$(dirname "$0")/.."
lock=requirements.lock
[ "${1:-}" = dev ] && lock=requirements-dev.lock

tools/system_libraries.sh python
[ -x .venv/bin/python ] || python3 -m venv .venv
total=$(grep -c '==' "$lock")
echo "Setting up .venv from $lock, $total packages. This is done once."
if [ -t 1 ]; then line='\r\033[K'; end=''; else line=''; end='\n'; fi
# pip's own lines become one line that moves; what it says of errors is shown as it is
.venv/bin/pip install --disable-pip-version-check --no-compile --progress-bar off --no-color \
  --require-hashes --prefer-binary -r "$lock" |
  awk -v total="$total" -v line="$line" -v end="$end" '
    /^(Collecting|Processing) / {
      name = $2; sub(/.*\//, "", name); split(name, one, /==|-[0-9]/)
      printf line "  %d of %d: %s" end, ++n, total, one[1]
    }
    /^Installing collected/ { printf line "  installing" end }
    { fflush() }
    END { printf line }'
.venv/bin/pip install --quiet --disable-pip-version-check --no-compile --no-deps -e .
# on all cores, and the program itself too; what a package cannot compile, it does not need
.venv/bin/python -m compileall -qq -j 0 -x '/tests/' .venv/lib src >/dev/null 2>&1 || true
echo "Ready."
