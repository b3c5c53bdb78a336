#!/usr/bin/env bash
# Makes the pictures of this folder from the demo data.
# Needs xterm, Xvfb, ImageMagick's import, xdotool and Chromium (Debian: xterm xvfb x11-utils imagemagick xdotool chromium fonts-dejavu fonts-noto-cjk).
# usage: docs/screenshots/make.sh [NAME]…   (without a name, all pictures)
set -euo pipefail
here=$(cd "$(dirname "$0")" && pwd)
cd "$here/../.."
cargo build --release --quiet
export PATH="$PWD/target/release:$PATH"
yard=$(mktemp -d)
trap 'rm -rf "$yard"; kill "${server:-}" 2>/dev/null || true' EXIT
cd "$yard"
keen-notch demo --all >/dev/null 2>&1
export DISPLAY=:97
Xvfb $DISPLAY -screen 0 1280x800x24 >/dev/null 2>&1 &
server=$!
for _ in 1 2 3 4 5 6 7 8 9 10; do xdpyinfo >/dev/null 2>&1 && break; sleep 0.3; done

# shoot NAME COMMAND: the command and what it prints, in a terminal of 1280x800
shoot() {
  local name=$1 command=$2
  if [ -n "${only:-}" ] && [[ " $only " != *" $name "* ]]; then return; fi
  rm -f "$yard/ready"
  local colours=(-bg '#16191d' -fg '#d8dde3')
  printf '%s\n' 'clear' "printf '\\033[1m\$\\033[0m %s\\n' $(printf '%q' "$command")" "$command" "touch $yard/ready" 'printf "\\033[?25l"; sleep 60' > "$yard/shot.sh"
  xterm -geometry 126x44+0+0 -fa 'DejaVu Sans Mono' -fd 'Noto Sans Mono CJK JP' -fs 12 "${colours[@]}" -b 8 -xrm 'xterm*boldMode: false' -e bash "$yard/shot.sh" &
  local terminal=$!
  for _ in $(seq 60); do [ -e "$yard/ready" ] && break; sleep 0.1; done
  sleep 0.5
  import -window root "$here/$name.png"
  kill $terminal 2>/dev/null || true
  wait $terminal 2>/dev/null || true
}

# live NAME COMMAND KEYS: a program that is typed into, each word of KEYS a key; a text after a colon; or after @ three numbers, from where
# to where the mouse is dragged: the first column, the last, and the line of both, in cells from 0
live() {
  local name=$1 command=$2
  if [ -n "${only:-}" ] && [[ " $only " != *" $name "* ]]; then return; fi
  xterm -geometry 126x39+0+0 -fa 'DejaVu Sans Mono' -fd 'Noto Sans Mono CJK JP' -fs 12 -bg '#16191d' -fg '#d8dde3' -b 8 -xrm 'xterm*boldMode: false' \
    -e bash -c "$command" &
  local terminal=$! key
  sleep 1.5
  local window
  window=$(xdotool search --class xterm | tail -1)
  xdotool windowfocus --sync "$window"
  for key in "${@:3}"; do
    case $key in
      :*) xdotool type -- "${key#:}" ;;
      @*)
        local from to line
        IFS=, read -r from to line <<< "${key#@}"
        xdotool mousemove $((from * 10 + 13)) $((line * 20 + 18)) mousedown 1
        sleep 0.2
        xdotool mousemove $((to * 10 + 13)) $((line * 20 + 18))
        sleep 0.2
        xdotool mouseup 1
        ;;
      *) xdotool key "$key" ;;
    esac
    sleep 0.2
  done
  sleep 1
  import -window root "$here/$name.png"
  kill $terminal 2>/dev/null || true
  wait $terminal 2>/dev/null || true
}

# page NAME FILE WIDTH HEIGHT [FLAG]…: a page in a browser
page() {
  local name=$1 file=$2 width=$3 height=$4
  shift 4
  if [ -n "${only:-}" ] && [[ " $only " != *" $name "* ]]; then return; fi
  # A window is never as narrow as a phone: the page is in a frame of that width.
  printf '<body style="margin:0;background:#14181c"><iframe src="file://%s" style="border:0;width:%spx;height:%spx"></iframe>' "$file" "$width" "$height" > "$yard/frame.html"
  chromium --headless --no-sandbox --disable-gpu --disable-quic --no-first-run --disable-background-networking --disable-component-update \
    --disable-sync --hide-scrollbars --allow-file-access-from-files --user-data-dir="$yard/browser" "$@" \
    --window-size="$width,$height" --screenshot="$here/$name.png" "file://$yard/frame.html" >/dev/null 2>&1
}

only="$*"
shoot gauge "keen-notch gauge GRP-00041273-S7K2 -p 'section 2 by \"-\"'"
shoot survey "keen-notch survey keen-notch-demo/crew.csv; echo; keen-notch survey keen-notch-demo/parts.csv -c part_code --rows-of U3-X8-X4"
shoot survey-column "keen-notch survey keen-notch-demo/parts.csv -c part_code --color always | head -40"
shoot draft "keen-notch draft keen-notch-demo/crew.csv -c crew_id"
shoot draft-want "keen-notch draft keen-notch-demo/references.csv -c reference --want 'INSP 2025/11 WO:77120 (Ines Okafor) brake pad 3.25 mm => Okafor' --want 'CALL 2024/02 WO:5512 (Zoë Müller) relay 2 mm => Müller'"
shoot carve "keen-notch carve keen-notch-demo/parts.csv -c part_code -p 'family: first 3' -p 'serial: chars 5 to 12' -p 'grade: section 3 by \"-\" or \"none\"'"
shoot database "keen-notch carve --from sqlite:keen-notch-demo/ropeway.db --table crew -l keen-notch-demo/crew.cutlist.toml --to sqlite:cut.db --table crew_cut --faults-table crew_faults"
shoot error "keen-notch carve keen-notch-demo/parts.csv -c part_code -p 'family: chars 0 to 3'; keen-notch carve keen-notch-demo/parts.csv -c part_code -p 'serial: secton 2 by \"-\"'; keen-notch carve keen-notch-demo/parts.csv -c part-code -p 'family: first 3'"
shoot explain "keen-notch explain keen-notch-demo/crew.cutlist.toml"
shoot explain-row "keen-notch explain keen-notch-demo/references.cutlist.toml keen-notch-demo/references.csv --row 22 --color always | head -42"
shoot phrases "keen-notch phrases section; keen-notch phrases drop"
shoot check "keen-notch check keen-notch-demo/parts.csv -l keen-notch-demo/parts.cutlist.toml --rows 1"
shoot demo "keen-notch --color always demo --dir sample"
shoot against "keen-notch survey keen-notch-demo/crew-december.csv --against keen-notch-demo/crew-november.json --fail-on 'blanks 5%'"
page report "$yard/keen-notch-demo/parts.html" 1280 1400
page report-dark "$yard/keen-notch-demo/parts.html" 400 1100 --blink-settings=preferredColorScheme=0
live try "keen-notch try keen-notch-demo/parts.csv -c part_code -l new.cutlist.toml" ':section 2 by "-"' Return ':digits; le' Right ':8; '
live try-marked "keen-notch try keen-notch-demo/references.csv -c reference" @35,45,11
