# `make demo` and `make test` set up all that they need, then run. `make help` lists the rest.
.PHONY: help demo demo-database beyond-memory test set-up-tests test-core fuzz random reliability mutants document check bench guides messages screenshots architecture lint spelling coverage clean
.DEFAULT_GOAL := help

help: ## list the targets
	@grep -E '^[a-z-]+:.*##' $(MAKEFILE_LIST) | sed 's/:.*## /\t/' | expand -t 14

demo: ## install what is missing, then run the demo in build/demo
	@tools/setup.sh run
	@rm -rf build/demo
	@Rscript "$$(Rscript -e 'cat(system.file("exec", "rowanroot", package = "rowanroot"))')" demo build/demo

demo-database: ## install what is missing, then run the demo's script on tables of SQLite and PostgreSQL
	@tools/setup.sh test
	@Rscript tools/demo-database.R

beyond-memory: ## calculate a table larger than the memory allowed in every way, and compare (an hour; 30 GB of disk)
	@tools/setup.sh run
	@Rscript tools/beyond-memory.R

test: set-up-tests test-core ## install what is missing, then run all tests
	@Rscript tools/test.R

# With -j2 packages are installed while the core's tests are compiled.
set-up-tests:
	@tools/setup.sh test

document: ## write NAMESPACE, man/ and the C++ exports (needs roxygen2 and pkgbuild)
	Rscript -e 'Rcpp::compileAttributes(".")'
	@tools/setup.sh run
	Rscript -e 'roxygen2::roxygenise(".", load_code = "installed")'

check: ## R CMD check (on the built package, in build/)
	@mkdir -p build && cd build && R CMD build .. \
	  && _R_CHECK_CRAN_INCOMING_REMOTE_=false _R_CHECK_SYSTEM_CLOCK_=0 R CMD check --as-cran --no-manual rowanroot_*.tar.gz

mutants: ## change 200 signs of the core one at a time and see whether a test notices (hours)
	@tools/setup.sh test
	@Rscript tools/mutants.R 200 1

bench: ## time the engine beside base R and hand-written C++, into docs/performance.md (5 minutes)
	@tools/setup.sh run
	@Rscript bench/run.R 5e6 build/bench.md
	@Rscript bench/write-page.R build/bench.md

guides: ## write docs/guides/ from the vignettes
	@tools/setup.sh test
	@Rscript tools/guides.R

messages: ## write docs/messages.md: every message with an example (5 minutes)
	@tools/setup.sh test
	@NOT_CRAN=true Rscript tools/messages.R

screenshots: ## pictures of what the commands print (needs xvfb, xterm, imagemagick)
	@tools/setup.sh run
	@tools/screenshots.sh

architecture: ## draw docs/architecture.png from the code
	@Rscript tools/architecture.R

lint: ## look for what the house style forbids (needs lintr)
	@Rscript -e 'found <- lintr::lint_dir("R"); print(found); quit(status = if (length(found)) 1 else 0)'

spelling: ## check the spelling of pages and guides (needs hunspell with hunspell-en-gb)
	@Rscript tools/spelling.R

coverage: ## how much of R and C++ code the tests run (needs covr; 20 minutes)
	@Rscript tools/coverage.R

clean: ## remove what was built
	find src -name '*.o' -delete; rm -rf src/*.so build

# The core's own tests need no R. They run with the address and undefined-behaviour sanitizers.
CORE_OBJECTS := $(patsubst src/core/%.cpp,build/core/%.o,$(wildcard src/core/*.cpp)) \
  $(patsubst tests/core/%.cpp,build/core/tests/%.o,$(wildcard tests/core/*.cpp))
# Without information for a debugger, CI compiles faster.
CORE_FLAGS := -std=c++17 -O1 $(if $(CI),,-g) -Wall -Wextra -pedantic -Isrc/core -pthread -fsanitize=address,undefined -fno-sanitize-recover

build/core/%.o: src/core/%.cpp $(wildcard src/core/*.h)
	@mkdir -p $(dir $@) && $(CXX) $(CORE_FLAGS) -c $< -o $@

build/core/tests/%.o: tests/core/%.cpp $(wildcard src/core/*.h tests/core/*.h)
	@mkdir -p $(dir $@) && $(CXX) $(CORE_FLAGS) -c $< -o $@

build/core/run-tests: $(CORE_OBJECTS)
	@$(CXX) $(CORE_FLAGS) $^ -o $@

fuzz: build/core/run-tests ## read a million made-up CSV files (10 minutes)
	@ROWANROOT_FUZZ=1000000 ./build/core/run-tests

random: ## calculate formulas and steps made at random in every way, for an hour
	@tools/setup.sh test
	@NOT_CRAN=true ROWANROOT_SECONDS=3600 ROWANROOT_SEED=$${ROWANROOT_SEED:-$$(date +%s | tail -c 7)} \
	  Rscript -e 'r <- testthat::test_file("tests/testthat/test-every-way.R", package = "rowanroot", load_package = "installed", reporter = "check")'

reliability: ## kill runs at 200 moments, fill up a disk, replace files while they are read, damage 5,000 files (an hour; needs root for the disk)
	@tools/setup.sh run
	@tools/reliability.sh

test-core: build/core/run-tests ## run the tests of the C++ core
	@./build/core/run-tests
