#!/usr/bin/env bash
# What becomes of outputs when runs are killed, disks are full, and files are replaced while they are read.
#   tools/reliability.sh [kills]
set -euo pipefail
here=$(cd "$(dirname "$0")/.." && pwd)
kills=${1:-200}
work=$(mktemp -d)
trap 'umount "$work/small" 2>/dev/null || true; rm -rf "$work"' EXIT

# Two states of the input, between which it changes, and what must come of each.
project() {
  mkdir -p "$1/data"
  Rscript --vanilla -e 'a <- commandArgs(TRUE); set.seed(1); n <- as.integer(a[2]); library(rowanroot)
    for (state in c("old", "new")) rowanroot:::write_csv_file(data.frame(hive = sprintf("NB-%04d", sample.int(500, n, TRUE)), kg = round(runif(n, 5, 40), 2) + (state == "new")), file.path(a[1], paste0(state, ".csv")), NULL)' "$1" "$2"
  cat >"$1/weights.R" <<'R'
library(rowanroot)
weights <- open_table("data/*.csv") |> set_columns({ place <- ranking(kg, best = "highest", within = hive); so_far <- running_total(kg, within = hive) })
save_table(weights, "out/weights.csv")
R
}
become() { cp "$1/$2.csv" "$1/data/.coming" && mv "$1/data/.coming" "$1/data/weights.csv"; }
run() { (cd "$1" && exec Rscript --vanilla -e 'quit(status = rowanroot:::cli_main(c("run", "weights.R")))' >"$1/log" 2>&1); }
sum_of() { cksum <"$1/out/weights.csv"; }

project "$work/killed" 200000
declare -A expected
for state in old new; do
  become "$work/killed" "$state"; run "$work/killed"; expected[$state]=$(sum_of "$work/killed")
done
[ "${expected[old]}" != "${expected[new]}" ]
start=$(date +%s%N); become "$work/killed" old; run "$work/killed"; took=$(( ($(date +%s%N) - start) / 1000000 ))
whole=0; right=0; was_old=0; state=old
for ((k = 1; k <= kills; ++k)); do
  before=$state; [ $state = old ] && state=new || state=old
  become "$work/killed" $state
  (cd "$work/killed" && exec Rscript --vanilla -e 'quit(status = rowanroot:::cli_main(c("run", "weights.R")))' >log 2>&1) & pid=$!
  sleep "$(printf '%d.%03d' $((moment = RANDOM * took / 32767, moment / 1000)) $((moment % 1000)))"
  kill -KILL $pid 2>/dev/null || true
  wait $pid 2>/dev/null || true
  now=$(sum_of "$work/killed")
  [ "$now" = "${expected[old]}" ] || [ "$now" = "${expected[new]}" ] && whole=$((whole + 1))
  [ "$now" = "${expected[$before]}" ] && was_old=$((was_old + 1))
  run "$work/killed"
  [ "$(sum_of "$work/killed")" = "${expected[$state]}" ] && [ -z "$(find "$work/killed" -name '*.unfinished')" ] && right=$((right + 1))
done
echo "killed at $kills moments of a run of $took ms: $whole whole outputs ($was_old the old one), $right right after the next run"

if mkdir "$work/small" && mount -t tmpfs -o size=8m tmpfs "$work/small" 2>/dev/null; then
  project "$work/small" 60000
  become "$work/small" old; run "$work/small"; old=$(sum_of "$work/small")
  fine=0; refused=0
  for left in 0 100 500 1000 1400; do
    become "$work/small" new
    rm -f "$work/small/filler"
    head -c $(( $(df --output=avail -B1 "$work/small" | tail -1) - left * 1024 )) /dev/zero >"$work/small/filler" 2>/dev/null || true
    run "$work/small" || { grep -q "Can't write" "$work/small/log" || cat "$work/small/log"; refused=$((refused + 1)); }
    [ "$(sum_of "$work/small")" = "$old" ] && fine=$((fine + 1))
    rm -f "$work/small/filler"
    become "$work/small" old
  done
  echo "full disk, 5 times: $refused runs failed with a message, $fine times the old output was whole"
  become "$work/small" new; run "$work/small"
  [ "$(sum_of "$work/small")" != "$old" ] && echo "with room again the next run is right"
else
  echo "no file system of one's own can be had here: the full disk was not tried"
fi

project "$work/replaced" 200000
become "$work/replaced" old
(while :; do become "$work/replaced" new; become "$work/replaced" old; done) & changer=$!
told=0; right=0
for k in $(seq 20); do
  if run "$work/replaced"; then
    case $(sum_of "$work/replaced") in "${expected[old]}" | "${expected[new]}") right=$((right + 1)) ;; esac
  else
    grep -q "changed while it was read\|There is no file\|No file is named" "$work/replaced/log" && told=$((told + 1))
  fi
done
kill $changer; wait $changer 2>/dev/null || true
echo "a file replaced again and again while it is read, 20 runs: $right whole outputs, $told told that it changed"

# A table beyond the budget of memory, so that there are scratch files, saved as a folder. Killed or interrupted.
scratch="$work/scratch"
mkdir -p "$scratch/data"
Rscript --vanilla -e 'a <- commandArgs(TRUE); set.seed(1); library(rowanroot)
  for (k in 1:8) rowanroot:::write_csv_file(data.frame(hive = sprintf("NB-%04d", sample.int(500, 2e5, TRUE)), kg = round(runif(2e5, 5, 40), 2), id = runif(2e5)), file.path(a[1], "data", paste0(k, ".csv")), NULL)
  invisible(rowanroot:::write_csv_file(data.frame(hive = "NB-0001", kg = 1, id = 0.5), file.path(a[1], "other.csv"), NULL))' "$scratch"
cat >"$scratch/weights.R" <<'R'
library(rowanroot)
weights <- open_table("data/*.csv") |> set_columns({ so_far <- running_total(kg, within = hive); a <- id * 2; b <- id * 3; c <- id * 4; d <- id / 5 })
save_table(weights, "out/weights/")
R
run_small() { (cd "$scratch" && exec Rscript --vanilla -e 'quit(status = rowanroot:::cli_main(c("run", "weights.R", "--memory", "64 MB")))' >"$scratch/log" 2>&1); }
sum_of_folder() { (cd "$scratch/out/weights" && cksum -- *); }
declare -A folder_of
for state in with without; do
  [ $state = with ] && cp "$scratch/other.csv" "$scratch/data/9.csv" || rm "$scratch/data/9.csv"
  run_small; folder_of[$state]=$(sum_of_folder)
done
[ "${folder_of[with]}" != "${folder_of[without]}" ]
start=$(date +%s%N); cp "$scratch/other.csv" "$scratch/data/9.csv"; run_small; took=$(( ($(date +%s%N) - start) / 1000000 ))
right=0; clean=0; state=with; times=$((kills / 4))
for ((k = 1; k <= times; ++k)); do
  if [ $state = with ]; then state=without; rm "$scratch/data/9.csv"; else state=with; cp "$scratch/other.csv" "$scratch/data/9.csv"; fi
  (cd "$scratch" && exec Rscript --vanilla -e 'quit(status = rowanroot:::cli_main(c("run", "weights.R", "--memory", "64 MB")))' >log 2>&1) & pid=$!
  sleep "$(printf '%d.%03d' $((moment = RANDOM * took / 32767, moment / 1000)) $((moment % 1000)))"
  [ $((k % 2)) = 0 ] && signal=KILL || signal=INT
  kill -$signal $pid 2>/dev/null || true
  wait $pid 2>/dev/null || true
  [ -z "$(find "$scratch/.rowanroot/scratch" -type f 2>/dev/null)" ] && clean=$((clean + 1))
  run_small
  [ "$(sum_of_folder)" = "${folder_of[$state]}" ] && [ -z "$(find "$scratch/out" -name '*.unfinished')" ] && right=$((right + 1))
done
echo "a table beyond the budget, saved as a folder in $took ms, killed or interrupted at $times moments: $clean times no scratch file was left, $right right after the next run"

cd "$here"
Rscript --vanilla tools/kill-databases.R "$kills"
Rscript --vanilla tools/damage.R
