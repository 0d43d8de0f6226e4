# What the command says while it works: a line that is drawn again and again on a terminal, a line now and then in a pipe.

say() { printf 'wexil: %s\n' "$*" >&2; }

# show_progress STATUS: calls STATUS, which prints one line, until the process that shows it is ended.
show_progress() {
  local began=$SECONDS line shown="" said=-10
  while :; do
    line="$("$1" $((SECONDS - began)))"
    if [ -t 2 ]; then
      printf '\r\033[K%s' "$line" >&2
    elif [ "${line%%[,:]*}" != "${shown%%[,:]*}" ] || [ $((SECONDS - said)) -ge 10 ]; then
      printf '%s\n' "$line" >&2
      said=$SECONDS
      shown="$line"
    fi
    sleep 0.3
  done
}

# with_progress STATUS LOG COMMAND...: runs the command with its output in LOG and STATUS shown meanwhile.
with_progress() {
  local status="$1" log="$2" shown result=0
  shift 2
  show_progress "$status" &
  shown=$!
  # Ctrl+C reaches the command itself; what shows its progress would go on without it.
  trap 'kill "$shown" 2>/dev/null; exit 130' INT TERM
  "$@" >"$log" 2>&1 || result=$?
  trap - INT TERM
  kill "$shown" 2>/dev/null
  wait "$shown" 2>/dev/null || true
  [ -t 2 ] && printf '\r\033[K' >&2
  return "$result"
}

# bar DONE ALL: for example [#####...............]
bar() {
  local width=20 full=$(($1 * 20 / ($2 > 0 ? $2 : 1)))
  printf '[%s%s]' "$(printf '%*s' "$full" '' | tr ' ' '#')" "$(printf '%*s' $((width - full)) '' | tr ' ' '.')"
}
