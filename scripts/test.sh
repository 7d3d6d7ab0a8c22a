#!/usr/bin/env bash
# Installs what the tests need and runs them all: formatting, vetting and linting,
# the Go tests, and the browser tests against the built application.
set -euo pipefail
cd "$(dirname "$0")/.."

began=$SECONDS
step() { printf '\n== %s (%d s)\n' "$*" $((SECONDS - began)); }

missing=()
[ -x "${CHROMIUM:-/usr/bin/chromium}" ] || missing+=(chromium)
command -v qemu-aarch64 >/dev/null || missing+=(qemu-user)
if [ ${#missing[@]} -gt 0 ]; then
  step "Debian packages: ${missing[*]}"
  sudo=$([ "$(id -u)" = 0 ] || echo sudo)
  $sudo apt-get update -qq
  $sudo apt-get install -y -qq --no-install-recommends "${missing[@]}"
fi

step "npm packages"
npm ci --no-audit --no-fund --silent

step "Formatting and linting"
unformatted=$(gofmt -l cmd demo internal scripts)
if [ -n "$unformatted" ]; then
  echo "gofmt would change: $unformatted"
  exit 1
fi
# A panic in a goroutine ends the program unless fault recovers it.
if grep -rn 'x/sync/errgroup"' --include=*.go cmd internal | grep -v '^internal/base/fault/'; then
  echo "Use fault.Group."
  exit 1
fi
go vet ./...
go run ./scripts/guards
go tool staticcheck -checks 'U1000,SA*' ./... # unused code and mistakes
# Errors that are not looked at, but of closing what was read and of clearing up.
go tool errcheck -ignoretests -exclude scripts/errcheck.txt ./cmd/... ./internal/... ./demo/...
# Variables that hide another, but err.
hidden=$(go vet -vettool="$(go tool -n shadow)" ./cmd/... ./internal/... 2>&1 |
  grep -v -e '^#' -e '"err"' -e '_test\.go' || true)
if [ -n "$hidden" ]; then
  echo "$hidden"
  exit 1
fi
# What is particular to a system is in files of its own; this one has the fewest of them.
GOOS=windows CGO_ENABLED=0 go vet ./cmd/... ./internal/...
npm run --silent lint

step "Go tests"
log=$(mktemp)
trap 'rm -f "$log"' EXIT
# The slowest packages first, so that none is waited for at the end.
slow="./internal/render ./internal/app/web ./scripts/cutout ./internal/vision/align ./scripts/truth ./internal/vision/segment"
rest=$(go list ./... | grep -v -x -F "$(go list $slow)")
if ! go test -v $slow $rest >"$log"; then
  grep -v -E '^(=== |--- PASS|--- SKIP|PASS|ok|\?)' "$log"
  exit 1
fi
grep -E '^(ok|FAIL)' "$log"
echo "Skipped:"
grep -A1 -e '--- SKIP' "$log" || echo "  nothing"

step "The same bits without assembly, where products and sums are fused, and on arm64"
rows="./internal/base/simd ./internal/light/glow ./internal/light/room/lightmap ./internal/light/room/silhouette"
if grep -q -w fma /proc/cpuinfo; then
  GOAMD64=v3 go test $rows -run 'SameBits|Row'
fi
GOARCH=arm64 CGO_ENABLED=0 go test -exec qemu-aarch64 $rows -run 'SameBits'

step "Go tests of what runs side by side, under the race detector"
go test -race -short ./internal/app/event ./internal/app/job ./internal/recipe/area ./internal/render/areas ./internal/base/graph ./internal/base/coverage ./internal/base/fault ./internal/base/raster ./internal/recipe/shape ./internal/shot/store ./internal/light/streak
go test -race -short ./internal/app/web -run 'Turn|Waiting|Export|Stop|Upload|Panic|Once|Scribbling|Told|Refine'
go test -race -short ./internal/render -run 'ExportBeside|PanicEnds'

step "Torture, a turn of each kind"
go run ./scripts/torture --minutes 0.5

step "Browser tests"
go build -o bin/pyrant ./cmd/pyrant
npm run --silent e2e
step "All passed"
