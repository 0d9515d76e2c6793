#!/bin/bash
# Open the window with the demo job. Without a display: under a virtual screen, leaving pictures of the main views.
set -euo pipefail
cd "$(dirname "$0")/.."

if [ -n "${WAYLAND_DISPLAY:-}" ] || [ -n "${DISPLAY:-}" ]; then
  exec .venv/bin/inkshelf --demo
fi
pictures=$PWD/demo-pictures
echo "There is no display here: the demo runs under a virtual screen and leaves pictures in $pictures"
xvfb-run --auto-servernum --server-args="-screen 0 1280x800x24" .venv/bin/inkshelf --demo --pictures "$pictures"
ls "$pictures"
