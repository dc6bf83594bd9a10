#!/usr/bin/env bash
# Measures reading, simplifying and rays on a model of a million triangles, each
# beside a well-known library where that is to be had (Debian's assimp-utils,
# npm's meshoptimizer, libembree-dev with g++), in turns, so that both meet the
# same machine.
set -euo pipefail
cd "$(dirname "$0")/.."
dir=$(mktemp -d)
trap 'rm -rf "$dir"' EXIT
v=$PWD/bin/visator
"$v" bench model 708 "$dir/ring.obj"
peak() { /usr/bin/time -f '%M KB at most' "$@" 2>&1 >/dev/null | tail -1; }
took() { grep -o 'took approx. [0-9.]*' | grep -o '[0-9.]*$'; }

if command -v assimp >/dev/null; then
  for form in glb:glb2 stl:stlb ply:plyb dae:collada; do
    assimp export "$dir/ring.obj" "$dir/ring.${form%%:*}" "-f${form##*:}" >/dev/null
  done
  for f in ring.obj ring.glb ring.stl ring.ply ring.dae; do
    for round in 1 2 3; do
      ours=$("$v" bench read "$dir/$f" | grep -o '[0-9.]*')
      theirs=$(assimp info "$dir/$f" --raw | took)
      awk -v f="$f" -v a="$ours" -v b="$theirs" 'BEGIN { printf "read %s: %.3f s, the import library %.3f s, ratio %.2f\n", f, a, b, a / b }'
    done
    if [ -x /usr/bin/time ]; then
      echo "memory $f: visator inspect $(peak "$v" inspect --json "$dir/$f"), the import library $(peak assimp info "$dir/$f" --raw)"
    fi
  done
else
  "$v" bench read "$dir/ring.obj"
fi

cp scripts/simplify.mjs "$dir"
if command -v npm >/dev/null && (cd "$dir" && npm install --silent --no-audit --no-fund meshoptimizer@1.3.0 >/dev/null 2>&1); then
  for round in 1 2 3; do
    ours=$("$v" bench simplify "$dir/ring.obj" 50000 "$dir/ours.obj" | grep -o 'in [0-9.]*' | grep -o '[0-9.]*')
    theirs=$(node "$dir/simplify.mjs" "$dir/ring.obj" 50000 "$dir/theirs.obj" | grep -o 'in [0-9.]*' | grep -o '[0-9.]*')
    awk -v a="$ours" -v b="$theirs" 'BEGIN { printf "simplify a million to 50 000: %.3f s, the mesh library %.3f s, ratio %.2f\n", a, b, a / b }'
  done
  ours=$("$v" bench distance "$dir/ring.obj" "$dir/ours.obj" | grep -o '[0-9.e-]*$')
  theirs=$("$v" bench distance "$dir/ring.obj" "$dir/theirs.obj" | grep -o '[0-9.e-]*$')
  awk -v a="$ours" -v b="$theirs" 'BEGIN { printf "distance to the original: %s, the mesh library %s, ratio %.2f\n", a, b, a / b }'
fi

if command -v g++ >/dev/null && g++ -O2 -march=native scripts/rays.cpp -o "$dir/rays" -lembree3 2>/dev/null; then
  for round in 1 2 3; do
    "$v" bench rays "$dir/ring.obj" --threads 1 >"$dir/ours"
    "$dir/rays" "$dir/ring.obj" >"$dir/theirs"
    paste -d' ' "$dir/ours" "$dir/theirs" | awk '
      /build/      { printf "build: %s s, the ray library %s s, ratio %.2f\n", $4, $9, $4 / $9 }
      /^primary/   { printf "primary: %s million rays/s, the ray library %s, ratio %.2f\n", $2, $8, $2 / $8 }
      /^incoherent/{ printf "incoherent: %s million rays/s, the ray library %s, ratio %.2f\n", $2, $8, $2 / $8 }'
  done
else
  "$v" bench rays "$dir/ring.obj" --threads 1
fi
