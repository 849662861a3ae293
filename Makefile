# make demo   installs what is missing, then a complete analysis of the demo data
# make test   installs what is missing, then all tests
# make check  lint and R CMD check;  make bench  timings;  make document  help pages and NAMESPACE
# make sanitize  the core's own tests under AddressSanitizer and UndefinedBehaviorSanitizer
# make site   the web site, into .build/site
# make mutants  small faults in the code: do the tests notice? (about 90 minutes)
# make fuzz   bad input of every kind, 50,000 cases
.PHONY: demo test lint check bench document sanitize fuzz mutants site clean

run = R_LIBS="$(CURDIR)/.build/library$${R_LIBS:+:$$R_LIBS}" Rscript --no-init-file

demo:
	@sh tools/setup.sh demo
	@$(run) exec/orizzonte demo --out orizzonte-demo

test:
	@sh tools/setup.sh test
	@$(run) tests/run.R $(if $(ONLY),'$(ONLY)')

lint:
	@sh tools/setup.sh check
	@$(run) tools/lint.R

check:
	@sh tools/setup.sh check
	@sh tools/check.sh

bench:
	@sh tools/setup.sh test
	@$(run) bench/budgets.R

sanitize:
	@sh tools/setup.sh test
	@ORIZZONTE_SANITIZE=1 $(run) tests/run.R '^core$$'

fuzz:
	@sh tools/setup.sh test
	@$(run) bench/fuzz.R

mutants:
	@sh tools/setup.sh test
	@$(run) tests/run.R '^core$$'
	@$(run) bench/mutants.R

document:
	@sh tools/setup.sh document
	@$(run) tools/document.R

site:
	@sh tools/setup.sh check
	@sh tools/site.sh

clean:
	rm -rf .build orizzonte.Rcheck orizzonte-demo
	find src -name '*.o' -delete -o -name '*.so' -delete
