#!/bin/sh
# Pictures of what the commands print, in a real terminal window: docs/screenshots/. Needs Debian's xvfb,
# xterm, imagemagick and fonts-dejavu-core.
set -eu
cd "$(dirname "$0")/.."
out=$PWD/docs/screenshots
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT

# shoot NAME ROWS COMMAND: runs the command in a window of that many lines, 100 columns wide.
shoot() {
  printf '%s\n' "cd '$work'" "clear" "$3" "touch '$work/done'" "sleep 30" >"$work/session"
  rm -f "$work/done"
  LANG=C.UTF-8 xvfb-run -a -s "-screen 0 1280x800x24" sh -c "
    xterm -u8 -fa 'DejaVu Sans Mono' -fs $4 -geometry 100x$2+0+0 -bg '#fbfaf7' -fg '#22272e' -xrm 'xterm*color6: #0b6e75' \
      -xrm 'xterm*color3: #9a5b00' -xrm 'xterm*color8: #6a7280' -xrm 'xterm*boldColors: false' +sb -cr '#fbfaf7' -e sh '$work/session' &
    while [ ! -e '$work/done' ]; do sleep 0.2; done; sleep 1
    import -window root '$work/shot.png'; kill %1 2>/dev/null || true"
  convert "$work/shot.png" -trim -bordercolor '#fbfaf7' -border 12 "$out/$1.png"
  echo "$out/$1.png"
}

shoot demo 62 "rowanroot demo visits-demo" 8
shoot peek 24 "rowanroot demo d >/dev/null; clear; cd d; rowanroot peek 'visits/*.csv'" 11
shoot summary 16 "rowanroot demo d >/dev/null; clear; cd d; Rscript -e 'rowanroot::column_summary(rowanroot::open_table(\"visits/*.csv\"))'" 11
