#!/usr/bin/env bash
# Takes the pictures in docs/screenshots from the demo. It needs chromium, and for
# the terminal's pictures xvfb, xterm and imagemagick (Debian's packages).
set -euo pipefail
cd "$(dirname "$0")/.."
shots=docs/screenshots
mkdir -p "$shots"
work=$(mktemp -d)
trap 'kill $demo 2>/dev/null || true; rm -rf "$work"' EXIT
bin/rolltop demo --listen 127.0.0.1:8479 --password harbour-lights >"$work/log" & demo=$!
for _ in $(seq 60); do grep -q Ctrl-C "$work/log" && break; sleep 0.5; done
address=$(grep -o 'ROLLTOP_SERVER=[^ ]*' "$work/log" | cut -d= -f2)
token=$(grep -o 'ROLLTOP_TOKEN=[^ ]*' "$work/log" | cut -d= -f2)
go run ./internal/shots -server "$address" -password harbour-lights -dir "$shots"

# terminal NAME ROWS COMMAND: a terminal window with the command and its output.
terminal() {
  xvfb-run -a -s '-screen 0 1400x1700x24' sh -c "
    xterm -fa 'DejaVu Sans Mono' -fs 11 -geometry 118x$2+0+0 -bg '#f6f4ee' -fg '#1c2a30' -xrm 'XTerm*color2:#0b7558' -xrm 'XTerm*color4:#2a66a8' \
      -e sh -c 'cd $work; printf \"\$ %s\n\" \"$3\"; $3; sleep 30' & xterm=\$!
    sleep 4; import -window root -crop \"1066x$(($2 * 19 + 4))+0+0\" +repage $shots/$1.png; kill \$xterm"
}
export PATH="$PWD/bin:$PATH" ROLLTOP_SERVER=$address ROLLTOP_TOKEN=$token
shots=$PWD/$shots
cp internal/standin/releases/* "$work"
rolltop machines get lant-001 >"$work/lant-001.json"
terminal check 72 'rolltop check --release skerry-12.yaml --inventory lant-001.json'
cp internal/standin/knowledge/* "$work"
rolltop machines get nslip-033 >"$work/nslip-033.json"
terminal plan 62 'rolltop plan --release skerry-12.yaml --knowledge guides.yaml --inventory nslip-033.json'
