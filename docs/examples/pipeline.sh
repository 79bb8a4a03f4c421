#!/bin/sh
# A step of a pipeline: every model below a folder is judged, and what stops one is handed to the pipeline in its own formats.
# Usage: pipeline.sh MODELS REPORTS. Exit code: that of `handlens report`. HANDLENS is the command, `handlens` unless it is set.
set -u
mkdir -p "$2"
code=0
for ending in sarif xml; do
  ${HANDLENS:-handlens} report "$1" --recursive --jobs "${JOBS:-2}" --try none --out "$2/models.$ending" --replace || code=$?
done
exit "$code"
