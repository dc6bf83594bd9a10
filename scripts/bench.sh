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

# Rays and paths, one thread, medians of five rounds in turns, beside a well-known library for rays and its example path
# renderer (Debian's libembree-dev, embree-tools), where they are to be had.
rounds=${ROUNDS:-5}
note() { echo "$2" >>"$dir/$1"; }
median() { sort -g "$dir/$1" 2>/dev/null | awk '{ v[NR] = $1 } END { if (NR) print v[int((NR + 1) / 2)] }'; }
peer=
if command -v g++ >/dev/null && g++ -O2 -march=native scripts/rays.cpp -o "$dir/rays" -lembree3 2>/dev/null; then peer=1; fi
printf 'newmtl grey\nKd 0.5 0.5 0.5\nKs 0 0 0\nillum 1\n' >"$dir/grey.mtl"
{ printf 'mtllib grey.mtl\nusemtl grey\n'; cat "$dir/ring.obj"; } >"$dir/grey.obj"
theirs() { # seconds of processor time of so many samples a pixel
  local t
  TIMEFORMAT='%U %S'
  t=$( { time pathtracer -i "$dir/grey.obj" --vp 0 1.25 1.75 --vi 0 0 0.35 --vu 0 1 0 --fov 45 --size 256 144 --spp "$1" \
    --max-path-length 5 --ambientlight 1 1 1 --threads 1 -o "$dir/p.ppm" >/dev/null 2>&1; } 2>&1)
  echo "$t" | awk '{ print $1 + $2 }'
}
for round in $(seq "$rounds"); do
  for way in "" --plain; do
    "$v" bench rays "$dir/ring.obj" --threads 1 $way >"$dir/out"
    note "build$way" "$(awk '/build/ { print $4 }' "$dir/out")"
    note "memory$way" "$(awk '$1 == "memory" { print $2 }' "$dir/out")"
    for kind in primary incoherent shadow; do note "$kind$way" "$(awk -v k=$kind '$1 == k { print $2 }' "$dir/out")"; done
    note "paths$way" "$("$v" bench paths $way | awk '/^paths/ { print $2 }')"
  done
  note build2 "$("$v" bench rays "$dir/ring.obj" --threads 2 | awk '/build/ { print $4 }')"
  if [ -n "$peer" ]; then
    "$dir/rays" "$dir/ring.obj" >"$dir/out"
    note peer-build "$(awk '/build/ { print $4 }' "$dir/out")"
    note peer-memory "$(awk '$1 == "memory" { print $2 }' "$dir/out")"
    for kind in primary incoherent shadow; do note "peer-$kind" "$(awk -v k=$kind '$1 == k { print $2 }' "$dir/out")"; done
  fi
  if command -v pathtracer >/dev/null; then
    few=$(theirs 4) many=$(theirs 36)
    note peer-paths "$(awk -v a="$few" -v b="$many" 'BEGIN { print 32 * 256 * 144 / (b - a) / 1e6 }')"
  fi
done
"$v" bench paths | tail -1
echo "| a million triangles, one thread, medians of $rounds | here | the library | ratio | plain code | of the vector way |"
echo "|---|---|---|---|---|---|"
row() { # name, file, 1: seconds
  awk -v n="$1" -v a="$(median "$2")" -v b="$(median "peer-$2")" -v p="$(median "$2--plain")" -v s="${3:-}" 'BEGIN {
    r = b == "" ? "-" : sprintf("%.2f", a / b); w = s == "" ? sprintf("%.2f", p / a) : "-"
    printf "| %s | %s | %s | %s | %s | %s |\n", n, a, b == "" ? "-" : b, r, p, w }'
}
row "incoherent closest hits, million a second" incoherent
row "primary rays, million a second" primary
row "shadow rays (any hit), million a second" shadow
row "structure, seconds" build 1
echo "| structure on two threads, seconds | $(median build2) | | | | |"
row "samples of paths, million a second" paths
row "memory, bytes a triangle with its corners" memory 1
"$v" bench noise
"$v" bench growth
