# On a fresh Debian 12 `make demo` and `make test` set up all they need by themselves.
VENV := .venv
BIN := $(VENV)/bin
READY := $(VENV)/.ready
export PIP_DISABLE_PIP_VERSION_CHECK = 1
# processes of the tests: one more than cores, since those of the window often wait; three at least, eight at most
WORKERS := $(shell n=$$(nproc 2>/dev/null || echo 2); echo $$((n < 2 ? 3 : n > 7 ? 8 : n + 1)))

.PHONY: demo test test-slow bench docs shots clean

demo: $(READY)
	$(BIN)/tarnwater demo --out demo-results

test: $(READY)
	-sh setup/debian.sh xvfb
	$(BIN)/ruff check src tests bench
	$(BIN)/ruff format --check src tests bench
	$(BIN)/lint-imports
	# the types are checked while the kernels are compiled, once for all workers
	$(BIN)/python -m tests.warm & $(BIN)/mypy; found=$$?; wait; exit $$found
	$(BIN)/python -m pytest -n $(WORKERS) --dist worksteal -m "not slow"

# the tests that take longest; continuous integration runs them after the others
test-slow: $(READY)
	-sh setup/debian.sh xvfb
	$(BIN)/python -m pytest -n $(WORKERS) --dist worksteal -m slow

bench: $(READY)
	$(BIN)/python -m bench

docs: $(READY)
	$(BIN)/python docs/make_methods.py

shots: $(READY)
	$(BIN)/python docs/make_shots.py

$(READY): requirements.lock pyproject.toml setup/debian.sh
	sh setup/debian.sh
	"$${PYTHON:-$$(command -v python3.11 || command -v python3)}" -m venv $(VENV)
	$(BIN)/pip install --quiet --requirement requirements.lock
	$(BIN)/pip install --quiet --no-deps --no-build-isolation --editable .
	$(BIN)/python -m compileall -q src
	touch $@

clean:
	rm -rf $(VENV) demo-results
