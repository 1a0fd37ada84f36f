#!/usr/bin/env bash
# Makes sim/reel/passing-loop.h265 anew. It needs the encoder x265 (GPL), which nothing
# else here does: the film is committed.
set -euo pipefail
cd "$(dirname "$0")/.."
go run ./sim/reel/paint | x265 --input - --input-res 640x360 --fps 25/2 --preset slow --crf 30 \
  --keyint 25 --min-keyint 25 --no-scenecut --no-open-gop --bframes 0 --repeat-headers --no-info \
  --pools none --no-wpp --frame-threads 1 --output sim/reel/passing-loop.h265
