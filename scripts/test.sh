#!/usr/bin/env bash
# Installs what the tests need and runs them all: formatting, vetting and linting,
# the Go tests, and the browser tests against the built application.
set -euo pipefail
cd "$(dirname "$0")/.."

step() { printf '\n== %s\n' "$*"; }

if [ ! -x "${CHROMIUM:-/usr/bin/chromium}" ]; then
  step "Chromium"
  sudo=$([ "$(id -u)" = 0 ] || echo sudo)
  $sudo apt-get update -qq
  $sudo apt-get install -y -qq --no-install-recommends chromium
fi

step "npm packages"
npm ci --no-audit --no-fund --silent

step "Formatting and linting"
unformatted=$(gofmt -l cmd demo internal)
if [ -n "$unformatted" ]; then
  echo "gofmt would change: $unformatted"
  exit 1
fi
go vet ./...
# What is particular to a system is in files of its own; this one has the fewest of them.
GOOS=windows CGO_ENABLED=0 go vet ./...
npm run --silent lint

step "Go tests"
go test ./...

step "Go tests under the race detector"
go test -race -short $(go list ./internal/... | grep -v -e /colour -e /codec -e /export -e /render -e /scribble)
# Of the renderer's tests, and of those that cut out, those that run things side by side: all would take many minutes.
go test -race -short ./internal/render -run 'Beside|Cancelled|PanicEnds|HowFar'
go test -race -short ./internal/scribble -run 'TestFind|TestUpdate'

step "Torture, a turn of each kind"
go run ./scripts/torture --minutes 1

step "Browser tests"
go build -o bin/pyrant ./cmd/pyrant
npm run --silent e2e
