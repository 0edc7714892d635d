#!/bin/sh
# Mirrors a folder into the library, for cron. Writes a line of JSON for each change, and what was refused to the mail of cron.
#   sh examples/shell/nightly.sh photos /lights
set -u
from=${1:?pass a folder here}
to=${2:?pass a folder of the library}
log=${LOG:-nightly.ndjson}

uniferum --ndjson mirror "$from" --to "$to" >>"$log"
code=$?
case $code in
  0) ;;
  1) echo "Something was refused:"; grep '"action":"refused"' "$log" | tail -n 20 ;;
  3) echo "Uniferum can't be reached. The next night sends everything that is missing." ;;
  *) echo "The mirror ended with $code." ;;
esac
exit $code
