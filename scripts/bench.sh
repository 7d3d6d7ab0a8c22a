#!/usr/bin/env bash
# Runs the benchmarks of the speed table and holds each ratio against what it must
# be and against the committed baseline. With --save the run becomes the baseline.
#
# Ratios are to a yardstick timed by turns in the same run; see docs/benchmarks.md.
set -euo pipefail
cd "$(dirname "$0")/.."
baseline=docs/benchmarks-baseline.txt
now=$(mktemp)
trap 'rm -f "$now"' EXIT
go test ./internal/light/glow -run '^$' -bench Stack24MP -benchtime 10x -benchmem | tee "$now"
go test ./internal/render -run '^$' -bench 'Preview|Graded(Fader|Gel|Curve|Paint)' -benchtime 100x -benchmem | tee -a "$now"
go test ./internal/render -run '^$' -bench 'Room(Foot|Thing|Fader|Gel)$' -benchtime 60x -benchmem | tee -a "$now"
go test ./internal/render -run '^$' -bench 'Room(FootRest|ThingRest)' -benchtime 12x -benchmem | tee -a "$now"
go test ./internal/render -run '^$' -bench 'RoomExport24MP' -benchtime 4x -benchmem | tee -a "$now"
go test ./internal/vision/region -run '^$' -bench 24MP -benchtime 80x -benchmem | tee -a "$now"
go test ./internal/vision/segment -run '^$' -bench 'Scribble24MP|Mend24MP' -benchtime 20x -benchmem | tee -a "$now"
go test ./internal/app/web -run '^$' -bench 'Draft$' -benchtime 1000x -benchmem | tee -a "$now"
go test ./internal/render -run '^$' -bench '^Benchmark(Export|Cancel)' -benchtime 5x -benchmem | tee -a "$now"
[ "${1:-}" = --save ] && cp "$now" "$baseline"
awk '
  function row(name) { sub(/^Benchmark/, "", name); sub(/-[0-9]+$/, "", name); return name }
  function ratio(i) { for (i = 3; i <= NF; i += 2) if ($(i + 1) ~ /^(x-|ms-)/) { unit = $(i + 1); return $i } return "" }
  BEGIN {
    must["Stack24MP"] = 12; must["PreviewFader"] = 0.6; must["PreviewGel"] = 0.6; must["PreviewTwelveLights"] = 1.2; must["PreviewRadius"] = 3
    must["PreviewPoint"] = 6; must["Export24MP"] = 4; must["ExportTwiceLights"] = 2.2; must["ExportTwicePixels"] = 2.2
    must["Cancel24MP"] = 50
    must["GradedFader"] = must["GradedGel"] = 1.5; must["GradedCurve"] = 2; must["GradedPaint"] = 3; must["GradedExport24MP"] = 6
    must["RoomFoot"] = must["RoomThing"] = 6; must["RoomFader"] = must["RoomGel"] = 0.6
    must["RoomFootRest"] = must["RoomThingRest"] = 20; must["RoomExport24MP"] = 4
    must["Hover24MP"] = must["Cling24MP"] = 1.5; must["Click24MP"] = 6
    must["Scribble24MP"] = 15; must["Mend24MP"] = 6
    must["Draft/demo/fader"] = must["Draft/demo/point"] = 1; must["Draft/50000/fader"] = must["Draft/50000/point"] = 3
    printf "\n%-20s %10s %10s %10s\n", "", "now", "baseline", "at most"
  }
  !/^Benchmark/ { next }
  FNR == NR { base[row($1)] = ratio(); next }
  { n = row($1); v = ratio(); over = v + 0 > must[n] + 0
    printf "%-20s %10.3f %10.3f %10s  %s%s\n", n, v, base[n], must[n], unit, over ? "  OVER" : ""
    if (over) bad = 1 }
  END { exit bad }
' "$baseline" "$now"
