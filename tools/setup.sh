#!/bin/bash
# Set the program up on a fresh machine: system packages (asked for by name), virtual environment, Python packages.
# Nothing is done twice: what is there already is left alone.
set -euo pipefail
cd "$(dirname "$0")/.."

PACKAGES=(dosfstools ntfs-3g e2fsprogs mtools util-linux fdisk xvfb xauth
  libglib2.0-0 libgl1 libegl1 libxkbcommon0 libxkbcommon-x11-0 libdbus-1-3 libfontconfig1 libxcb-cursor0 libxcb-icccm4 libxcb-image0
  libxcb-keysyms1 libxcb-render-util0 libxcb-xinerama0 libxcb-xkb1 libxcb-shape0 libxcb-randr0
  libwayland-client0 libwayland-cursor0 libwayland-egl1
  exfatprogs btrfs-progs xfsprogs f2fs-tools cryptsetup-bin wimtools fuse3
  binutils eatmydata xorriso genisoimage  # tests that wait for no disk; images for the tests, made by utilities that are not ours
  qemu-system-x86 ovmf sbsigntool  # real firmware, against which starting is held; programs that it trusts
  grub-efi-amd64-bin grub-common systemd-boot-efi  # real menu loaders, which read configurations and entry files by their own rules
  libhivex-bin  # another reader of hives
  chromium  # the sheet's page, ticked in a real browser
  postgresql)  # a real server for the logbook of a shop

there() { dpkg-query --show --showformat='${Status}' "$1" 2> /dev/null | grep -q 'install ok installed'; }

missing=()
for name in "${PACKAGES[@]}"; do
  # newer releases of the base system carry some libraries under a name with t64 at its end
  there "$name" || there "${name}t64" || missing+=("$name")
done

python=""
for name in "${PYTHON:-python3}" python3.11 python3.12 python3.13; do
  if "$name" -c 'import sys; sys.exit(sys.version_info < (3, 11))' 2> /dev/null; then python=$name; break; fi
done
[ -n "$python" ] || { echo "Python 3.11 or later is needed: install the package python3 and try again." >&2; exit 1; }
"$python" -c 'import ensurepip, venv' 2> /dev/null || missing+=(python3-venv)

if [ ${#missing[@]} -gt 0 ]; then
  echo "Installing system packages: ${missing[*]}"
  as_root=()
  if [ "$(id -u)" != 0 ]; then as_root=(sudo); fi
  "${as_root[@]}" apt-get update -q
  case " ${missing[*]} " in *" postgresql "*)  # tests start servers of their own: none is to run on this machine for that
    servers=/etc/postgresql-common
    [ -e $servers/createcluster.conf ] || { "${as_root[@]}" mkdir -p $servers &&
      echo "create_main_cluster = false" | "${as_root[@]}" tee $servers/createcluster.conf > /dev/null; } ;;
  esac
  for place in "${!missing[@]}"; do
    name=${missing[$place]}
    if ! apt-cache show "$name" > /dev/null 2>&1 && apt-cache show "${name}t64" > /dev/null 2>&1; then missing[$place]=${name}t64; fi
  done
  "${as_root[@]}" env DEBIAN_FRONTEND=noninteractive apt-get install -y -q --no-install-recommends "${missing[@]}"
fi

stamp=.venv/.inkshelf-setup
wanted=$(cat requirements.lock pyproject.toml | sha256sum)
if [ ! -x .venv/bin/inkshelf ] || [ "$(cat "$stamp" 2> /dev/null)" != "$wanted" ]; then
  [ -x .venv/bin/python ] || "$python" -m venv .venv
  .venv/bin/python -m pip install --quiet --disable-pip-version-check --requirement requirements.lock
  .venv/bin/python -m pip install --quiet --disable-pip-version-check --no-deps --editable .
  echo "$wanted" > "$stamp"
fi
