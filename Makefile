# Neokinema. make demo starts the demo club; make check is the quick loop, make
# test runs every test, make proof gathers the long evidence.
go_files := cmd core server demo playbook weights api test web/*.go
web_sources := $(shell find web/src web/public -type f) web/index.html web/figure.html web/vite.config.ts web/tsconfig.json

.PHONY: demo serve build check format test test-short e2e proof generate documents screenshots clips train models

demo: build
	@./bin/neokinema demo

serve: build
	@./bin/neokinema serve

build: web/dist/index.html
	@scripts/install-deps.sh run
	@go run ./cmd/models models || echo "Points of the body will not be found by themselves; the rest goes on." >&2
	@go build -o bin/neokinema ./cmd/neokinema

# The networks that find bodies on films, and the library that runs them: fetched
# packed, checked by hash, converted. What is there is left alone.
models:
	@scripts/install-deps.sh run
	@go run ./cmd/models models

web/node_modules/.package-lock.json: web/package.json web/package-lock.json
	@echo "Fetching the interface's packages."
	@cd web && npm ci --no-fund --no-audit --loglevel=error && touch node_modules/.package-lock.json

web/dist/index.html: web/node_modules/.package-lock.json $(web_sources)
	@echo "Building the interface."
	@cd web && npx vite build --logLevel warn

# What is quick: format, vet, linters, dead code, types. Under two minutes once warm.
check: web/node_modules/.package-lock.json web/dist/index.html models
	@test -z "$$(gofmt -l $(go_files))" || { gofmt -l $(go_files); echo "These files are not formatted: make format." >&2; exit 1; }
	go vet ./...
	go tool staticcheck ./...
	@dead=$$(go tool deadcode -test ./...); test -z "$$dead" || { echo "$$dead"; echo "Nothing reaches these functions." >&2; exit 1; }
	cd web && npx prettier --check --log-level warn src *.ts *.js && npx eslint src && npx tsc --noEmit

# Puts every hand-written file into its form.
format: web/node_modules/.package-lock.json
	gofmt -w $(go_files)
	cd web && npx prettier --write --log-level warn src *.ts *.js

# All of it: what is quick, then every Go test, among them those that hold the
# generated files and the imports to the rules of the house. The longest go first; the
# browser's mostly wait, so one more than there are cores goes at a time. Memory is
# collected more seldom than usual: a tenth of the time.
test: check
	@scripts/install-deps.sh test
	GOGC=400 go test -p 3 -timeout 25m ./test/e2e ./test/truth ./server/api ./demo ./server/tasks ./...

# The core, the store and the server without what takes long; under three minutes.
test-short: web/dist/index.html models
	@scripts/install-deps.sh test
	go test -short -timeout 10m ./core/... ./playbook ./weights ./server/... ./test/architecture

# The interface in a real browser.
e2e: web/dist/index.html models
	@scripts/install-deps.sh test
	go test -timeout 25m ./test/e2e

# The long evidence and the figures of speed, written under docs/.
proof: build
	@scripts/install-deps.sh proof
	go run ./test/load docs/performance.md
	go run ./test/follow docs/following.md
	go run ./test/landmarks docs/landmarks.md
	go run ./test/unseen -n 4 docs/first-reading.md
	NEOKINEMA_COVERAGE=$(CURDIR)/docs/coverage.md go test -count=1 -timeout 60m -run AtLength ./test/truth
	NEOKINEMA_PROPOSALS=$(CURDIR)/docs/proposals.md go test -count=1 -timeout 30m -run ProposalsAgainst ./test/truth
	NEOKINEMA_FILMS=$(CURDIR)/docs/diagnosis.md go test -count=1 -timeout 60m -run TestWhatUsualFilms ./test/truth
	NEOKINEMA_ONE_FILM=$(CURDIR)/docs/one-film.md go test -count=1 -timeout 60m -run OneFilmFitted ./test/truth
	NEOKINEMA_DIAGNOSIS=$(CURDIR)/docs/diagnosis.md go test -count=1 -timeout 180m -run TestDiagnosis ./test/truth
	go run ./test/proof docs/proof.md

# The Go server and the TypeScript types of the contract.
generate: web/node_modules/.package-lock.json
	go tool oapi-codegen -config api/server.yaml api/openapi.yaml
	cd web && npx openapi-typescript ../api/openapi.yaml -o src/ui/api.gen.d.ts
	go run ./api/typescript effects > web/src/bench/effects.gen.ts
	go run ./api/typescript body > web/src/ui/body.gen.ts

# docs/measures.md, from the playbook and the registry of kinds, and the table of
# published kinematics in docs/simulation.md.
documents:
	NEOKINEMA_DOCUMENTS=1 go test -count=1 -run MovesAsPublished ./test/athlete
	NEOKINEMA_DOCUMENTS=1 go test -count=1 -run Documented ./test/truth

# The networks that find contacts and releases, taught on the simulated athlete.
train:
	go run ./test/train weights

# The simulated athlete's clips, with their truth.
clips: build
	@scripts/install-deps.sh test
	./bin/neokinema render -folder demo/clips

# The pictures of docs/screenshots, from a demo that is running, and from the
# end-to-end test's own.
screenshots: build
	go run ./test/screenshots docs/screenshots
	NEOKINEMA_SHOTS=$(CURDIR)/docs/screenshots go test -count=1 -run FromFile ./test/e2e
