#!/usr/bin/env bash
# Makes a root of its own over this machine's (an overlay whose upper side is in memory), and
# runs a program in it: root.sh FOLDER PROGRAM ARGUMENTS...  Nothing of it stays.
set -euo pipefail
folder=$1; shift
if [ ! -d "$folder/root" ]; then
  mkdir -p "$folder/memory" "$folder/root"
  mount -t tmpfs tmpfs "$folder/memory"
  mkdir -p "$folder/memory/upper" "$folder/memory/work"
  mount -t overlay overlay -o "lowerdir=/,upperdir=$folder/memory/upper,workdir=$folder/memory/work" "$folder/root"
fi
if [ "$1" = "--remove" ]; then
  umount "$folder/root" && umount "$folder/memory" && rmdir "$folder/root" "$folder/memory"
  exit 0
fi
exec unshare -m -p -f --mount-proc="$folder/root/proc" chroot "$folder/root" "$@"
