#!/usr/bin/env bash
# Locks the packages anew, for every Python from 3.11 on, with hashes and without naming where they
# come from.
set -euo pipefail
cd "$(dirname "$0")/.."
python3 -m venv .cache/lock
.cache/lock/bin/python -m pip install -q uv
.cache/lock/bin/uv pip compile -q --upgrade --generate-hashes --no-annotate --no-header --universal \
    --python-version 3.11 requirements/run.in requirements/dev.in -o requirements/all.lock
.cache/lock/bin/uv pip compile -q --upgrade --generate-hashes --no-annotate --no-header --universal \
    --python-version 3.11 -c requirements/all.lock requirements/mutants.in -o requirements/mutants.lock
