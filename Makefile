# make demo        the demonstration (stand-in loggers, archive, window)
# make demo-reset  the same, from the beginning
# make test        all checks and tests
# make hunt        the properties once more, with examples nobody has tried (HUNT="paths of tests")
# make recovery    how well gaps are filled, on records whose truth is known (half an hour)
# make bench       speed, as ratios against a reference in the same run (BENCH="names of measures")
# make screenshots the pictures in docs/screenshots, from the demonstration's data
# make mutants     small faults put into the rules of the trade: do the tests notice them
#                  (ONLY="domain projection exchange/csv_out")
# make bare        both commands in bare Debian 12 and 13 machines (root, debootstrap)
# make lock        the locked packages anew from requirements/*.in

VENV := .venv
RUN := $(VENV)/bin

.PHONY: setup demo demo-reset test hunt recovery bench mutants screenshots bare lock

setup:
	@bash scripts/setup.sh

demo: setup
	@$(RUN)/gezeiten demo --folder demo

demo-reset: setup
	@rm -rf demo
	@$(RUN)/gezeiten demo --folder demo

test: setup
	@bash scripts/check.sh

hunt: setup
	@GEZEITEN_HUNT=1 QT_QPA_PLATFORM=offscreen $(RUN)/pytest -n 2 \
		$(or $(HUNT),$(shell grep -rl "from hypothesis import" tests --include="test_*.py"))

recovery: setup
	@$(RUN)/python scripts/recovery.py $(GAPS) $(KINDS)

bench: setup
	@$(RUN)/python -m bench $(BENCH)

mutants: setup
	@$(RUN)/python -m pip install -q --require-hashes -r requirements/mutants.lock
	@$(RUN)/python scripts/mutants.py $(ONLY)

screenshots: setup
	@$(RUN)/gezeiten demo --folder .cache/screenshots-demo --build-only
	@$(RUN)/python scripts/screenshots.py .cache/screenshots-demo docs/screenshots

bare:
	@bash scripts/bare.sh

lock: setup
	@bash scripts/lock.sh
