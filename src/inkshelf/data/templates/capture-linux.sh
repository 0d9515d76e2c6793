#!/bin/sh
# Look at this machine and write what was seen into one file, for planning its disks elsewhere.
#
# Read this script before you run it. It only reads: it mounts nothing, changes nothing, sends nothing anywhere.
# What it reads: the list of disks and volumes, partition tables, labels and identities of file systems, the firmware's
# boot entries, Secure Boot, memory, mains or battery, mount points, the mount table, maker and model of the machine, the
# name of the running system. It reads no file of anybody's but /etc/fstab and /etc/os-release. Tables and identities need root; without root they are left out, and said so.
#
# sh capture-linux.sh [FILE]                   FILE: where to write (default: capture-DATE.txt, in this folder)
# sh capture-linux.sh --without-serials [FILE] leaves serial numbers and world-wide names out

LC_ALL=C
export LC_ALL
PATH="$PATH:/sbin:/usr/sbin"
EFI=${EFI:-/sys/firmware/efi}
POWER=${POWER:-/sys/class/power_supply}

serials=yes
if [ "${1:-}" = --without-serials ]; then
  serials=no
  shift
fi
file=${1:-capture-$(date +%Y%m%d-%H%M%S).txt}
case $file in
/dev/*)
  echo "This writes an ordinary file, never a device: $file" >&2
  exit 2
  ;;
esac
if [ -e "$file" ]; then
  echo "$file is there already; name another." >&2
  exit 2
fi

hide() {
  if [ "$serials" = no ]; then
    sed -e 's/"\(serial\|wwn\)": *"[^"]*"/"\1": null/g' -e 's/^\(ID_SERIAL[A-Z_]*\)=.*/\1=/'
  else
    cat
  fi
}

# section NAME COMMAND...: what a command prints, under its name; a command that is missing or fails is named, and why
section() {
  name=$1
  shift
  if ! command -v "$1" > /dev/null 2>&1; then
    printf '== missing %s\n%s is not installed here\n' "$name" "$1"
    return
  fi
  if said=$("$@" 2> /dev/null); then
    printf '== %s\n%s\n' "$name" "$said" | hide
  else
    printf '== missing %s\n%s failed%s\n' "$name" "$1" "$([ "$(id -u)" = 0 ] || echo ': it needs root')"
  fi
}

facts() {
  echo "== facts"
  if [ -d "$EFI" ]; then echo "firmware=uefi"; else echo "firmware=legacy"; fi
  state=
  for one in "$EFI"/efivars/SecureBoot-*; do
    if [ -r "$one" ]; then state=$(od -An -tu1 "$one" | tr -s ' \n' ' ' | sed 's/ *$//; s/.* //'); fi
  done
  case $state in
  1) echo "secure-boot=on" ;;
  0) echo "secure-boot=off" ;;
  esac
  sed -n 's/^MemTotal: *\([0-9]*\) kB/memory-kib=\1/p' /proc/meminfo
  for one in "$POWER"/*; do
    if [ -r "$one/online" ]; then echo "mains=$(cat "$one/online")"; fi
    if [ -r "$one/capacity" ]; then echo "battery-percent=$(cat "$one/capacity")"; fi
  done
  for one in sys_vendor product_name board_name bios_version; do
    if [ -r "/sys/class/dmi/id/$one" ]; then echo "$one=$(cat "/sys/class/dmi/id/$one")"; fi
  done
  echo "root=$([ "$(id -u)" = 0 ] && echo yes || echo no)"
}

{
  echo "inkshelf-capture 1"
  facts
  section lsblk lsblk --json --bytes --output-all
  for disk in $(lsblk --nodeps --noheadings --paths --output NAME,TYPE 2> /dev/null | sed -n '/zram/d; s/ *disk *$//p'); do
    section "sfdisk $disk" sfdisk --json "$disk"
  done
  section blkid blkid -o export
  section efibootmgr efibootmgr -v
  section findmnt findmnt --json --bytes --output TARGET,SOURCE,FSTYPE,OPTIONS,SIZE,USED
  section fstab cat /etc/fstab
  section release cat /etc/os-release
  echo "== end"
} > "$file"

echo "$file is written. Look at it, then take it in: inkshelf new --capture $file -o JOB.json"
