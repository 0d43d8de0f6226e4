# Computes the reference tables anew with R's own methods, from the given columns that stand in them (see README.md beside this file).
#
#   Rscript tables.R           compares every computed column with R and names the largest difference of each table
#   Rscript tables.R --write   writes the tables anew
#
# Needs base R (stats) only. Lists in a cell are joined by ";", groups by "|".

digits <- 12
numbers <- function(cell, by = ";") as.numeric(strsplit(cell, by, fixed = TRUE)[[1]])
groups <- function(cell) lapply(strsplit(cell, "|", fixed = TRUE)[[1]], numbers)
joined <- function(values) paste(written(values), collapse = ";")
written <- function(values) ifelse(is.na(values), "NA", sapply(values, function(v) format(signif(v, digits), digits = digits, scientific = FALSE, trim = TRUE)))

wilson <- function(x, n) prop.test(x, n, correct = FALSE)$conf.int

# Newcombe's hybrid score interval for a difference (1998, method 10), and Katz's log interval for the ratio.
two_proportions <- function(row) {
  n <- c(row$visitors_a, row$visitors_b)
  x <- c(row$conversions_a, row$conversions_b)
  p <- x / n
  a <- wilson(x[1], n[1])
  b <- wilson(x[2], n[2])
  d <- p[2] - p[1]
  test <- suppressWarnings(prop.test(x, n, correct = FALSE))
  lift <- if (x[1] > 0) p[2] / p[1] - 1 else NA
  spread <- if (all(x > 0)) qnorm(0.975) * sqrt(sum(1 / x - 1 / n)) else NA
  list(
    p_value = test$p.value, wilson_a_low = a[1], wilson_a_high = a[2], wilson_b_low = b[1], wilson_b_high = b[2], difference = d,
    newcombe_low = d - sqrt((p[2] - b[1])^2 + (a[2] - p[1])^2), newcombe_high = d + sqrt((b[2] - p[2])^2 + (p[1] - a[1])^2),
    lift = lift, lift_low = (1 + lift) * exp(-spread) - 1, lift_high = (1 + lift) * exp(spread) - 1)
}

# An integral over (0, 1), cut where a beta density has its mass, since integrate() misses narrow peaks.
over_rates <- function(f, alpha, beta) {
  cuts <- sort(unique(c(0, 1, unlist(lapply(c(1e-14, 1e-9, 1e-5, 0.01, 0.25, 0.5, 0.75, 0.99, 1 - 1e-5, 1 - 1e-9), function(q) qbeta(q, alpha, beta))))))
  sum(mapply(function(low, high) integrate(f, low, high, rel.tol = 1e-10, abs.tol = 0, subdivisions = 2000, stop.on.error = FALSE)$value, head(cuts, -1), tail(cuts, -1)))
}

posterior_two <- function(row) {
  alpha <- 1 + c(row$conversions_a, row$conversions_b)
  beta <- 1 + c(row$visitors_a - row$conversions_a, row$visitors_b - row$conversions_b)
  # What is lost by keeping one page is the mean of what the other has more, where it has more.
  loss <- function(kept, other) over_rates(function(t) pbeta(t, alpha[kept], beta[kept]) * pbeta(t, alpha[other], beta[other], lower.tail = FALSE), alpha, beta)
  list(
    chance_b_beats_a = over_rates(function(t) dbeta(t, alpha[2], beta[2]) * pbeta(t, alpha[1], beta[1]), alpha, beta),
    loss_if_keep_b = loss(2, 1), loss_if_keep_a = loss(1, 2))
}

posterior_best <- function(row) {
  n <- numbers(row$visitors)
  x <- numbers(row$conversions)
  best <- sapply(seq_along(n), function(i) over_rates(
    function(t) exp(dbeta(t, 1 + x[i], 1 + n[i] - x[i], log = TRUE) + Reduce(`+`, lapply(seq_along(n)[-i], function(j) pbeta(t, 1 + x[j], 1 + n[j] - x[j], log.p = TRUE)))),
    1 + x, 1 + n - x))
  list(chance_best = joined(best))
}

planner <- function(row) list(visitors_per_page = power.prop.test(p1 = row$base_rate, p2 = row$other_rate, power = row$power, sig.level = row$alpha, tol = 1e-12)$n)

# The sample of a planned test that is looked at all the time, against the textbook's: the chance of crossing the line by the plan's end, solved for the drift.
planned_size <- function(row) {
  boundary <- qnorm(1 - 4 * row$alpha / 5 / (4 * row$challengers))
  chance <- function(drift) pnorm(drift - boundary) + exp(2 * boundary * drift + pnorm(-boundary - drift, log.p = TRUE))
  drift <- uniroot(function(d) chance(d) - row$power, c(0, 30), tol = 1e-14)$root
  list(boundary = boundary, drift = drift, factor = (drift / (qnorm(1 - row$alpha / 2) + qnorm(row$power)))^2)
}

# Welch's t test from sums, as t.test() computes it from the values themselves.
revenue_welch <- function(row) {
  n <- c(row$visitors_a, row$visitors_b)
  sums <- c(row$sum_a, row$sum_b)
  mean <- sums / n
  variance <- (c(row$sumsq_a, row$sumsq_b) - n * mean^2) / (n - 1) / n
  error <- sqrt(sum(variance))
  df <- error^4 / sum(variance^2 / (n - 1))
  d <- mean[2] - mean[1]
  list(difference = d, t = d / error, df = df, p_value = 2 * pt(-abs(d / error), df), low = d - qt(0.975, df) * error, high = d + qt(0.975, df) * error)
}

sample_ratio <- function(row) {
  weights <- numbers(row$weights)
  test <- suppressWarnings(chisq.test(numbers(row$observed), p = weights / sum(weights)))
  list(chi2 = unname(test$statistic), df = unname(test$parameter), p_value = test$p.value)
}

phases_cmh <- function(row) {
  phases <- groups(row$phases)
  strata <- array(unlist(lapply(phases, function(k) c(k[4], k[2], k[3] - k[4], k[1] - k[2]))), dim = c(2, 2, length(phases)))
  ratio <- sum(strata[1, 1, ] * strata[2, 2, ] / apply(strata, 3, sum)) / sum(strata[1, 2, ] * strata[2, 1, ] / apply(strata, 3, sum))
  test <- if (length(phases) > 1) mantelhaen.test(strata, correct = FALSE) else NULL
  weight <- sapply(phases, function(k) k[1] * k[3] / (k[1] + k[3]))
  difference <- sapply(phases, function(k) k[4] / k[3] - k[2] / k[1])
  list(cmh_chi2 = unname(test$statistic), p_value = test$p.value, odds_ratio = ratio, mh_risk_difference = sum(weight * difference) / sum(weight))
}

# The normal mixture's likelihood ratio at a single look, and its interval at 95% (evidence.md, method 4).
peek_safe <- function(row) {
  n <- c(row$visitors_a, row$visitors_b)
  p <- c(row$conversions_a, row$conversions_b) / n
  v <- sum(p * (1 - p) / n)
  tau2 <- (row$smallest_lift * row$base_rate)^2
  d <- p[2] - p[1]
  log_ratio <- log(v / (v + tau2)) / 2 + tau2 * d^2 / (2 * v * (v + tau2))
  half <- sqrt(v * (v + tau2) / tau2 * (2 * log(1 / 0.05) + log((v + tau2) / v)))
  list(log_likelihood_ratio = log_ratio, p_value_one_look = min(1, exp(-log_ratio)), low = d - half, high = d + half)
}

# Main effects over the combinations seen; every section's first version is what the others are measured against.
sections_logit <- function(row) {
  levels <- numbers(row$levels)
  cells <- do.call(rbind, groups(row$cells))
  sections <- lapply(seq_along(levels), function(s) factor(cells[, s], levels = seq_len(levels[s]) - 1))
  names(sections) <- paste0("s", seq_along(levels))
  conversions <- cells[, length(levels) + 2]
  misses <- cells[, length(levels) + 1] - conversions
  fit <- glm(cbind(conversions, misses) ~ ., data = as.data.frame(sections), family = binomial)
  found <- summary(fit)$coefficients[-1, , drop = FALSE]
  list(terms = paste(rownames(found), collapse = ";"), log_odds = joined(found[, 1]), std_error = joined(found[, 2]), p_value = joined(found[, 4]))
}

tables <- list(
  "two-proportions" = two_proportions, "posterior-two" = posterior_two, "posterior-best" = posterior_best, "planner" = planner, "planned-size" = planned_size, "revenue-welch" = revenue_welch,
  "sample-ratio" = sample_ratio, "phases-cmh" = phases_cmh, "peek-safe" = peek_safe, "sections-logit" = sections_logit)

arguments <- commandArgs(FALSE)
folder <- dirname(normalizePath(sub("^--file=", "", grep("^--file=", arguments, value = TRUE))))

# The largest difference between two cells, relative where the values are large and absolute where they are small.
gap <- function(is, was) {
  if (is == was) return(0)
  is <- suppressWarnings(numbers(is))
  was <- suppressWarnings(numbers(was))
  if (length(is) != length(was) || any(is.na(is) != is.na(was))) return(Inf)
  max(c(0, pmin(abs(is - was) / pmax(abs(was), 1e-300), abs(is - was))), na.rm = TRUE)
}

for (name in names(tables)) {
  path <- file.path(folder, paste0(name, ".csv"))
  table <- read.csv(path, colClasses = "character", na.strings = character(0))
  given <- table
  given[] <- lapply(given, function(column) if (any(grepl("[;|]", column))) column else suppressWarnings(type.convert(column, as.is = TRUE)))
  largest <- 0
  for (i in seq_len(nrow(table))) {
    row <- tables[[name]](given[i, ])
    for (column in names(row)) {
      cell <- if (is.character(row[[column]])) row[[column]] else written(row[[column]])
      largest <- max(largest, gap(cell, table[i, column]))
      table[i, column] <- cell
    }
  }
  if ("--write" %in% arguments) write.csv(table, path, row.names = FALSE, quote = FALSE)
  cat(sprintf("%-16s %3d rows, largest difference %.1e\n", name, nrow(table), largest))
}
