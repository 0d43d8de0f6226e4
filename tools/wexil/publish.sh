# One folder with a program that needs no SDK, and all that goes with it onto a server.

publish() {
  local folder="" zip="" log machine
  while [ $# -gt 0 ]; do
    case "$1" in
      --zip) zip=1 ;;
      -*) say "publish knows no option $1."; exit 2 ;;
      *) [ -z "$folder" ] || { say "publish takes one folder."; exit 2; }; folder="$1" ;;
    esac
    shift
  done
  [ -n "$folder" ] || { say "say where to: wexil publish DIR [--zip]"; exit 2; }
  if [ -e "$folder" ] && [ -n "$(ls -A "$folder")" ] && [ ! -x "$folder/wexil" ]; then
    say "$folder holds something else; nothing was changed."
    exit 1
  fi
  need_sdk
  case "$(uname -m)" in aarch64) machine=linux-arm64 ;; *) machine=linux-x64 ;; esac
  rm -rf "$folder"
  publish_program "$machine" "$folder"
  mv "$folder/Wexil.Web" "$folder/wexil"
  cp -r "$root/deploy" "$root/docs/install.md" "$folder/"
  say "$folder holds $("$folder/wexil" --version), $(du -sm "$folder" | cut -f1) MB. Copy it to a server; install.md says how."
  if [ -n "$zip" ]; then
    need_package zip zip
    local archive
    archive="$(realpath "$folder").zip"
    rm -f "$archive"
    (cd "$(dirname "$archive")" && zip -qr "$archive" "$(basename "$(realpath "$folder")")")
    say "$archive holds the same."
  fi
}

# publish_program MACHINE FOLDER: the runtime's packs for that machine are fetched here and nowhere else.
publish_program() {
  lock_builds
  # What is published was checked, if at all, where the solution was built.
  WEXIL_CHECKED="" run_dotnet publish_status publish "$root/src/Wexil.Web" -c Release -r "$1" --self-contained \
    -p:PublishReadyToRun=true -p:DebugType=none -o "$2"
  unlock_builds
}

publish_status() { printf 'Publishing, %d s' "$1"; }
