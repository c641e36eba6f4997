#!/usr/bin/env bash
# All checks: style, types, layers, tests. CI and `make test` run the same.
set -euo pipefail
cd "$(dirname "$0")/.."
export PATH="$PWD/.venv/bin:$PATH"
export QT_QPA_PLATFORM=offscreen
unset GEZEITEN_ARCHIVE || true

ruff check src tests bench scripts
ruff format --check -q src tests bench scripts
lint-imports --no-cache
python scripts/cycles.py
python scripts/words.py
# types: from nothing they take a minute of one core, which the tests leave idle now and then
if [ -d .mypy_cache ]; then
    mypy
else
    report=$(mktemp)
    mypy >"$report" 2>&1 &
    types=$!
fi
# tests write and flush much: where there is room for it in memory they work there
room=$(df --output=avail -k /dev/shm 2>/dev/null | tail -1 || echo 0)
if [ -z "${TMPDIR:-}" ] && [ "${room:-0}" -gt 8000000 ] && ! mount | grep -q " /dev/shm .*noexec"; then
    export TMPDIR=/dev/shm
fi
failed=0
pytest -n 2 --dist worksteal "$@" || failed=$?
if [ -n "${types:-}" ]; then
    wait "$types" || failed=$?
    cat "$report"
    rm -f "$report"
fi
exit "$failed"
