#!/usr/bin/env bash
# All checks: style, types, layers, tests. CI and `make test` run the same.
set -euo pipefail
cd "$(dirname "$0")/.."
export PATH="$PWD/.venv/bin:$PATH"
export QT_QPA_PLATFORM=offscreen
unset GEZEITEN_ARCHIVE || true

ruff check src tests bench scripts
ruff format --check -q src tests bench scripts
mypy
lint-imports --no-cache
python scripts/cycles.py
pytest -n 2 --dist loadfile "$@"
