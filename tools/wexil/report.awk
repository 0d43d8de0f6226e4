# Reads the results of a test run (TRX): prints how long each project took, the ten slowest tests, and one closing line.

function attribute(name) {
  if (!match($0, name "=\"[^\"]*\"")) return ""
  return substr($0, RSTART + length(name) + 2, RLENGTH - length(name) - 3)
}

# Seconds of a time of day or a duration: [...T]hours:minutes:seconds[+zone].
function seconds(text, parts) {
  sub(/.*T/, "", text)
  split(text, parts, ":")
  return parts[1] * 3600 + parts[2] * 60 + parts[3]
}

/<UnitTestResult / {
  name = attribute("testName")
  sub(/\(.*/, "", name)
  split(name, parts, ".")
  project = parts[2]
  sub(/^Wexil\.[A-Za-z]+\.Tests\./, "", name)
  took = seconds(attribute("duration"))
  began = seconds(attribute("startTime"))
  ended = seconds(attribute("endTime"))
  if (!(project in first) || began < first[project]) first[project] = began
  if (ended > last[project]) last[project] = ended
  outcome = attribute("outcome")
  if (outcome == "Passed") passed++
  else if (outcome == "NotExecuted") skipped++
  else failed++
  count[project]++
  for (place = 10; place > 0 && took > slowest[place]; place--) {
    slowest[place + 1] = slowest[place]
    names[place + 1] = names[place]
  }
  slowest[place + 1] = took
  names[place + 1] = project ": " name
}

END {
  print "The slowest tests:"
  for (place = 1; place <= 10 && place in names; place++) printf "%7.1f s  %s\n", slowest[place], names[place]
  for (project in count) {
    took = last[project] - first[project]
    printf "%s: %d tests in %.0f s\n", project, count[project], took < 0 ? took + 86400 : took
  }
  if (skipped) printf "%d passed, %d failed, %d skipped\n", passed, failed, skipped
  else printf "%d passed, %d failed\n", passed, failed
}
