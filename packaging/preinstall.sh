#!/bin/sh
# Before another version's files come: an older one is refused, since it could not read
# the records. $2 is the version that is installed.
set -e
case "$1" in upgrade) ;; *) exit 0 ;; esac
new="@VERSION@"
if [ -n "$2" ] && dpkg --compare-versions "$2" gt "$new"; then
  echo "webostrum: $2 is installed, and $new could not read the records that it has written." >&2
  echo "webostrum: to go back, remove the package, restore a backup of then with $new, and start it." >&2
  exit 1
fi
