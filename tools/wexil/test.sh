# Runs the tests of every project in one go.

results="$root/obj/test-results"

# test_all ARGUMENTS...: --fast for what takes seconds, --security for attacks, --filter EXPRESSION for some.
test_all() {
  local filter="" fast=""
  case "${1:-}" in
    --fast) fast=1; filter="Pace!=slow" ;;
    --security) filter="For=security" ;;
    --filter) filter="${2:?say which: wexil test --filter NAME}" ;;
    "") ;;
    *) say "test knows no option $1."; exit 2 ;;
  esac
  if [ -z "$fast" ]; then
    need_package chromium-headless-shell chromium-headless-shell
    need_package chromedriver chromium-driver
    # The tests run the program behind a real proxy of each kind.
    need_package nginx nginx-light
    need_package caddy caddy
  fi
  need_package node nodejs
  build Wexil.slnx all
  run_tests "$filter" "$fast"
}

# publish_for_tests FOLDER: the program as it is installed, once for all tests of it.
publish_for_tests() {
  local folder="$1" stamp="$state/published-from" now
  now="$(inputs src)"
  [ -x "$folder/wexil" ] && [ -e "$stamp" ] && [ "$(cat "$stamp")" = "$now" ] && return
  rm -f "$stamp"
  (publish "$folder") 2>&1 | grep -v "^wexil: .* holds " >&2 || true
  [ -x "$folder/wexil" ] || exit 1
  printf '%s\n' "$now" >"$stamp"
}

# run_tests FILTER FAST: in two lanes, since people who click, and servers that are waited for, leave a processor idle.
run_tests() {
  local filter="$1" fast="$2" status=0 modules first=Browser lane publishing=""
  local log="$state/first-lane.log"
  rm -rf "$results"
  mkdir -p "$results"
  modules="$(mktemp)"
  if [ -n "$fast" ]; then
    first=Web
    # Of each property the first few cases.
    export WEXIL_FAST=1
  elif [ -z "$filter" ]; then
    # Beside the first tests; those of the server need it last.
    export WEXIL_PUBLISHED="$state/published"
    publish_for_tests "$WEXIL_PUBLISHED" &
    publishing=$!
  fi
  run_projects first "$filter" "$first" >"$log" 2>&1 &
  lane=$!
  if [ -z "$filter" ] || [ -n "$fast" ]; then
    (cd "$root/tests/Wexil.Modules.Tests" && node --test) >"$modules" 2>&1 || { status=1; cat "$modules"; }
  fi
  run_projects second "$filter" Core Store Pages App || status=1
  [ -z "$publishing" ] || wait "$publishing" || status=1
  [ -n "$fast" ] || run_projects third "$filter" Web || status=1
  wait "$lane" || status=1
  cat "$log"
  report "$modules" || status=1
  return "$status"
}

# run_projects NAME FILTER PROJECTS...: their results go to NAME.trx. Browsers and files of the tests are put away at
# the end, which the runner waits for.
run_projects() {
  local name="$1" filter="$2" project files=() options=()
  shift 2
  for project in "$@"; do
    files+=("$root/tests/Wexil.$project.Tests/bin/Release/net10.0/Wexil.$project.Tests.dll")
  done
  [ -z "$filter" ] || options+=("--TestCaseFilter:$filter")
  # A program that a test starts is over before code that is profiled would be faster.
  export DOTNET_TieredPGO=0
  # Code that a person's pace calls for is not worth compiling a second time for speed.
  [ "$project" != Browser ] || export DOTNET_TC_CallCounting=0
  VSTEST_TESTHOST_SHUTDOWN_TIMEOUT=10000 dotnet vstest "${files[@]}" --nologo \
    "--Blame:CollectHangDump;TestTimeout=10m;HangDumpType=none" "--logger:console;verbosity=minimal" \
    "--logger:trx;LogFileName=$name.trx" "--ResultsDirectory:$results/$name" "${options[@]}"
}

# How long each project and the slowest tests took, and the sum in one line.
report() {
  local passed failed skipped
  passed="$(sed -nE 's/^(# |ℹ )pass ([0-9]+)$/\2/p' "$1")"
  failed="$(sed -nE 's/^(# |ℹ )fail ([0-9]+)$/\2/p' "$1")"
  echo "Modules: ${passed:-0} passed, ${failed:-0} failed"
  awk -f "$root/tools/wexil/report.awk" -v passed="${passed:-0}" -v failed="${failed:-0}" "$results"/*/*.trx
}

# Changes the rules one small thing at a time, and sees whether a test notices. Takes the better part of an hour, so no
# other run does it.
test_mutants() {
  local status=0 project
  need_sdk
  (cd "$root" && dotnet tool restore >/dev/null)
  for project in Core Store; do
    (cd "$root/tests/Wexil.$project.Tests" && dotnet stryker --output "$root/tests/Wexil.$project.Tests/StrykerOutput") || status=1
  done
  return "$status"
}
