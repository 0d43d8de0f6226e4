# Builds what a command needs, and nothing when nothing changed since.

state="$root/obj"

need_sdk() {
  command -v dotnet >/dev/null || { say "the .NET SDK 10 is not installed (dotnet is not on the PATH)."; exit 1; }
  local version
  version="$(dotnet --version 2>/dev/null || true)"
  [ "${version%%.*}" -ge 10 ] 2>/dev/null || { say "the .NET SDK 10 or newer is needed; this machine has ${version:-none}."; exit 1; }
}

# inputs SCOPE: one line that changes with every file that a build of it reads.
inputs() {
  local folders=(src docs/guide docs/screenshots)
  [ "$1" = src ] || folders+=(bench tests tools)
  (
    cd "$root"
    find "${folders[@]}" Directory.*.props global.json .editorconfig \
      \( -name bin -o -name obj -o -name node_modules -o -name TestResults \) -prune \
      -o -type f -printf '%p %T@ %s\n' | LC_ALL=C sort | sha256sum
  )
}

# build PROJECT SCOPE: the project, in Release, unless a stamp says that it is built from these files.
build() {
  local name stamp now forced=()
  name="$(basename "$1")"
  stamp="$state/built-${name%.slnx}"
  now="$(inputs "$2")"
  [ -e "$stamp" ] && [ "$(cat "$stamp")" = "$now" ] && return
  need_sdk
  lock_builds
  # A build that was interrupted may have left half a file that looks newer than its sources.
  [ -e "$state/building" ] && forced=(--no-incremental)
  touch "$state/building"
  rm -f "$stamp"
  run_dotnet build_status build "$root/$1" -c Release "${forced[@]}"
  rm -f "$state/building"
  printf '%s\n' "$now" >"$stamp"
  unlock_builds
}

# Two builds at once would write the same files.
lock_builds() {
  mkdir -p "$state"
  exec 9>"$state/lock"
  flock -n 9 || { say "waiting for another build of this folder."; flock 9; }
}

unlock_builds() { exec 9>&-; }

# run_dotnet STATUS ARGUMENTS...: shows what it is doing, and what went wrong. Only .ci/run, which sets WEXIL_CHECKED,
# looks at style, analyzers and known weaknesses of packages. One compiler for all projects, which neither profiles
# itself nor has a heap for each processor, takes half the time.
run_dotnet() {
  local status="$1" log unchecked=()
  shift
  [ -n "${WEXIL_CHECKED:-}" ] ||
    unchecked=(-p:RunAnalyzers=false -p:EnforceCodeStyleInBuild=false -p:NuGetAudit=false)
  log="$(mktemp)"
  if ! UseSharedCompilation=true DOTNET_TieredPGO=0 DOTNET_gcServer=0 \
    with_progress "$status" "$log" dotnet "$@" -v quiet --nologo "${unchecked[@]}" 9>&-; then
    cat "$log" >&2
    say "it could not be built; see above."
    exit 1
  fi
  rm -f "$log"
}

# The first of two phases: packages are fetched until the newest list of what they are is written.
build_status() {
  local all got
  if [ -z "$(find "$root/src/Wexil.Web/obj/project.assets.json" -newer "$state/building" 2>/dev/null)" ] &&
    all="$(packages | wc -l)" && got="$(packages_here | wc -l)" && [ "$got" -lt "$all" ]; then
    printf 'Getting packages: %s %d of %d' "$(bar "$got" "$all")" "$got" "$all"
  else
    printf 'Building, %d s' "$1"
  fi
}

# The packages that the programs are built from, as folders of the package cache.
packages() {
  sed -nE 's/^ {6}"([^"]+)": \{$/\1/p; s/^ {8}"resolved": "([^"]+)",$/\1/p' "$root"/src/*/packages.lock.json |
    awk '/^[0-9]/ { print tolower(name "/" $0) } { name = $0 }' | sort -u
}

packages_here() {
  local cache="${NUGET_PACKAGES:-$HOME/.nuget/packages}" package
  packages | while read -r package; do
    if [ -e "$cache/$package/.nupkg.metadata" ]; then echo "$package"; fi
  done
}
