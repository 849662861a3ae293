# Makes all demo data. Everything is made up: adult amateur choirs in three towns.
# Run from the package root: Rscript data-raw/choirs.R

set.seed(4711, kind = "Mersenne-Twister", normal.kind = "Inversion", sample.kind = "Rejection")

wordings <- c(
  be1 = "People greet me when I arrive", be2 = "Someone says hello when I come in",
  be3 = "I feel part of this choir", be4 = "I would be missed if I stayed away",
  sc1 = "My breathing stays calm on stage", sc2 = "I can look at the audience while singing",
  sc3 = "My hands shake during a concert", sc4 = "I sleep well before a concert",
  cr1 = "I can hold my part against the others", cr2 = "I find my note without help",
  cr3 = "I can sing a new score at sight", cr4 = "I like the colour of the robes",
  st1 = "I will be singing here next year",
  st2 = "I leave rehearsals settled and glad to come back",
  st3 = "I would recommend this choir to a friend",
  rooms = "How good is the rehearsal room?", scores = "How good is the sheet music?",
  coach = "How often does a voice coach come?"
)

# Answers on 0-100 sliders: loadings in slider points per unit of the construct.
slider <- function(mean, signal, residual_sd) {
  pmin(100, pmax(0, mean + signal + stats::rnorm(length(signal), 0, residual_sd)))
}

sing <- function(n, setting) {
  weekend <- setting == "weekend"
  years <- round(pmax(0.5, stats::rgamma(n, 2.2, 0.3)), 1)
  age <- round(pmin(84, pmax(18, 34 + 1.1 * years + stats::rnorm(n, 8, 12))))
  z <- stats::rnorm(n)
  rooms <- slider(55, 9 * z, 14)
  scores <- slider(60, 6 * z, 15)
  coach <- slider(38, 8 * z, 18)
  resources <- as.numeric(scale(0.5 * scale(rooms) + 0.3 * scale(scores) + 0.5 * scale(coach)))
  craft <- 0.25 * as.numeric(scale(years)) + 0.25 * resources + stats::rnorm(n, 0, 0.93)
  belonging <- 0.3 * resources + 0.2 * craft + stats::rnorm(n, 0, 0.92) + ifelse(weekend, 0.25, 0)
  calm <- 0.45 * craft + 0.2 * belonging + stats::rnorm(n, 0, 0.85)
  staying <- 0.5 * belonging + 0.25 * calm + 0.15 * as.numeric(scale(years)) +
    stats::rnorm(n, 0, 0.75)
  greeting <- stats::rnorm(n)          # the planted pair: be1 and be2 are worded alike
  out <- data.frame(
    be1 = slider(62, 13 * belonging + 8 * greeting, 10),
    be2 = slider(58, 12 * belonging + 8 * greeting, 11),
    be3 = slider(64, 15 * belonging, 10), be4 = slider(55, 14 * belonging, 13),
    # non-invariant loading
    sc1 = slider(52, 14 * calm, 11), sc2 = slider(57, ifelse(weekend, 7, 14) * calm, 12),
    # reverse-keyed
    sc3 = slider(46, -12 * calm, 13), sc4 = slider(50, 13 * calm, 14),
    cr1 = slider(60, 14 * craft, 10), cr2 = slider(56, 15 * craft, 11),
    # non-invariant intercept; weak item
    cr3 = slider(ifelse(weekend, 56, 47), 12 * craft, 13), cr4 = slider(60, 3 * craft, 16),
    # planted cross-loading
    st1 = slider(63, 14 * staying, 11), st2 = slider(52, 11 * staying + 6 * calm, 12),
    st3 = slider(66, 13 * staying, 11),
    rooms = rooms, scores = scores, coach = coach, years = years, age = age
  )
  answers <- setdiff(names(out), c("years", "age"))
  out[answers] <- round(out[answers])
  out
}

# About 4 % missing: some singers stop at the last page, the rest are scattered.
punch <- function(data, stop_share = 0.06, scatter = 0.006) {
  last_page <- c("cr1", "cr2", "cr3", "cr4", "st1", "st2", "st3", "rooms", "scores", "coach")
  data[stats::runif(nrow(data)) < stop_share, last_page] <- NA
  items <- setdiff(names(data), c("singer", "setting", "town", "years", "age"))
  for (item in items) data[[item]][stats::runif(nrow(data)) < scatter] <- NA
  data
}

setting <- rep(c("evening", "weekend"), c(420L, 300L))
choirs <- do.call(rbind, lapply(c("evening", "weekend"), function(s) sing(sum(setting == s), s)))
choirs <- data.frame(
  singer = sprintf("S%03d", sample(720L)), setting = factor(setting),
  town = factor(sample(c("Arden", "Brook", "Cliff"), 720L, TRUE, c(0.45, 0.35, 0.2))), choirs
)
choirs <- choirs[order(choirs$singer), ]
rownames(choirs) <- NULL
# An intercept that drifts with age (older singers sleep less before a concert) and one that differs
# in one town (in Brook, notes are given before every piece). Both leave the random numbers as they
# are.
on_slider <- function(x) pmin(100, pmax(0, round(x)))
choirs$sc4 <- on_slider(choirs$sc4 - 0.4 * (choirs$age - 50))
choirs$cr2 <- on_slider(choirs$cr2 + ifelse(choirs$town == "Brook", 8, 0))
choirs <- punch(choirs)
for (item in names(wordings)) attr(choirs[[item]], "label") <- wordings[[item]]

# Bifactor set: one general musical self-image and three aspects, 12 items.
n <- 600L
general <- stats::rnorm(n)
choirs_bifactor <- do.call(cbind, lapply(c("ear", "voice", "score"), function(aspect) {
  own <- stats::rnorm(n)
  data <- sapply(1:4,
                 function(i) slider(55, c(10, 11, 9, 12)[i] * general + c(7, 6, 8, 7)[i] * own, 9))
  colnames(data) <- paste0(aspect, 1:4)
  round(data)
}))
choirs_bifactor <- as.data.frame(choirs_bifactor)

# Troubled set: identifier column, -9 for missing, a sum score, a constant, a reverse-keyed item,
# a near-duplicate pair, an aspect that hardly exists once the general factor is out, an outlying
# row.
n <- 240L
general <- stats::rnorm(n)
warm <- stats::rnorm(n)
clear <- stats::rnorm(n)
tone <- function(own, load) {
  sapply(seq_along(load), function(i) slider(55, 11 * general + load[i] * own, 9))
}
choirs_troubled <- data.frame(
  id = 1000L + seq_len(n),
  stats::setNames(as.data.frame(tone(warm, c(8, 7, 8))), paste0("wa", 1:3)),
  stats::setNames(as.data.frame(tone(clear, c(7, 8, 7))), paste0("cl", 1:3)),
  stats::setNames(as.data.frame(tone(stats::rnorm(n), c(0.4, 0.3, 0.2))), paste0("fu", 1:3))
)
choirs_troubled$cl3 <- 110 - choirs_troubled$cl3
choirs_troubled$wa4 <- choirs_troubled$wa3 + stats::rnorm(n, 0, 1)
choirs_troubled[-1L] <- lapply(choirs_troubled[-1L], function(x) pmin(100, pmax(0, round(x))))
choirs_troubled$warm_sum <- with(choirs_troubled, wa1 + wa2 + wa3)
choirs_troubled$version <- 2
choirs_troubled[17L, c("fu1", "fu2", "fu3")] <- c(0, 100, 0)
for (item in c("wa1", "wa2", "cl1", "fu2")) choirs_troubled[[item]][sample(n, 7L)] <- -9

dir.create("data", showWarnings = FALSE)
dir.create("inst/extdata", showWarnings = FALSE, recursive = TRUE)
save(choirs, file = "data/choirs.rda", version = 2, compress = "xz")
save(choirs_bifactor, file = "data/choirs_bifactor.rda", version = 2, compress = "xz")
save(choirs_troubled, file = "data/choirs_troubled.rda", version = 2, compress = "xz")

csv <- function(data, file) {
  utils::write.csv(data, file.path("inst/extdata", file), row.names = FALSE, na = "",
                   quote = FALSE, eol = "\n")
}
csv(choirs, "choirs.csv")
csv(choirs_bifactor, "choirs-bifactor.csv")
csv(choirs_troubled, "choirs-troubled.csv")

# Summary data: correlations, standard deviations, means and n of twelve items.
items <- c(paste0("be", 1:4), paste0("sc", 1:4), paste0("cr", 1:3), paste0("st", 1:3))
complete <- choirs[stats::complete.cases(choirs[items]), items]
correlation <- round(stats::cor(complete), 3)
correlation[upper.tri(correlation)] <- NA
csv(rbind(
  data.frame(row = ".n", t(stats::setNames(rep(nrow(complete), length(items)), items))),
  data.frame(row = ".mean", t(round(colMeans(complete), 2))),
  data.frame(row = ".sd", t(round(sapply(complete, stats::sd), 2))),
  data.frame(row = items, correlation)
), "choirs-summary.csv")

# Growth set: calm on stage at four concerts of the first year, for new singers. Its own seed, so
# that it can change alone.
set.seed(4712, kind = "Mersenne-Twister", normal.kind = "Inversion", sample.kind = "Rejection")
n <- 400L
coached <- stats::rbinom(n, 1L, 0.5)
start <- stats::rnorm(n, 45, 9)
rise <- 3.5 + 2 * coached + 0.05 * (start - 45) + stats::rnorm(n, 0, 2.2)
choirs_growth <-
  data.frame(sapply(0:3,
                    function(t) {
                      pmin(100, pmax(0, round(start + rise * t + stats::rnorm(n, 0, 6))))
                    }), coached)
names(choirs_growth) <- c(paste0("w", 1:4), "coached")
save(choirs_growth, file = "data/choirs_growth.rda", version = 2, compress = "xz")

# Two concerts: calm on stage and joy before and after a season of coaching. Planted: calm rises by
# two fifths of a standard deviation, ca3 rises by more than that (its intercept differs over time),
# who was less calm at first is more often missing at the second concert.
set.seed(4713, kind = "Mersenne-Twister", normal.kind = "Inversion", sample.kind = "Rejection")
n <- 420L
setting <- rep(c("evening", "weekend"), c(240L, 180L))
calm_first <- stats::rnorm(n, ifelse(setting == "weekend", 0.2, 0))
calm_second <- 0.4 + 0.7 * calm_first + stats::rnorm(n, 0, 0.7)
joy_first <- 0.4 * calm_first + stats::rnorm(n, 0, 0.9)
joy_second <- 0.1 + 0.5 * joy_first + 0.2 * calm_first + stats::rnorm(n, 0, 0.75)
asked <- list(ca1 = c(48, 16, 11), ca2 = c(52, 14, 12), ca3 = c(45, 15, 12), ca4 = c(55, 13, 12),
              jo1 = c(60, 14, 10), jo2 = c(58, 13, 11), jo3 = c(63, 12, 11))
trait <- sapply(asked, function(x) stats::rnorm(n, 0, x[3L] * 0.5))
concert <- function(calm, joy, shift) {
  sapply(names(asked), function(item) {
    x <- asked[[item]]
    construct <- if (startsWith(item, "ca")) calm else joy
    round(slider(x[1L] + shift[[item]], x[2L] * construct + trait[, item], x[3L] * 0.87))
  })
}
none <- stats::setNames(rep(0, length(asked)), names(asked))
first <- concert(calm_first, joy_first, none)
second <- concert(calm_second, joy_second, replace(none, "ca3", 7))
absent <- stats::runif(n) < stats::plogis(-2.2 - 0.6 * as.numeric(scale(rowMeans(first[, 1:4]))))
second[absent, ] <- NA
colnames(first) <- paste0(names(asked), "_t1")
colnames(second) <- paste0(names(asked), "_t2")
choirs_concerts <- data.frame(setting, first, second)
save(choirs_concerts, file = "data/choirs_concerts.rda", version = 2, compress = "xz")
csv(choirs_concerts, "choirs-concerts.csv")

# Eighteen choirs whose answers can be compared approximately: every loading and intercept differs
# a little from choir to choir; eight of the 90 intercepts differ by half a standard deviation and
# four of the loadings are lower by a third.
set.seed(4714, kind = "Mersenne-Twister", normal.kind = "Inversion", sample.kind = "Rejection")
trees <- c("Alder", "Aspen", "Beech", "Birch", "Cedar", "Elm", "Fir", "Hazel", "Holly", "Larch",
           "Lime", "Maple", "Oak", "Pine", "Rowan", "Spruce", "Willow", "Yew")
sizes <- sample(90:210, length(trees))
joy_mean <- stats::rnorm(length(trees), 0, 0.5)
joy_sd <- stats::runif(length(trees), 0.8, 1.25)
loading <- matrix(c(14, 15, 13, 16, 14), length(trees), 5L, byrow = TRUE) +
  stats::rnorm(90L, 0, 0.4)
intercept <- matrix(c(55, 52, 58, 50, 54), length(trees), 5L, byrow = TRUE) +
  stats::rnorm(90L, 0, 0.7)
odd <- sample(90L, 12L)
intercept[odd[1:8]] <- intercept[odd[1:8]] + 9 * rep(c(1, -1), 4L)
loading[odd[9:12]] <- loading[odd[9:12]] * 0.67
choirs_eighteen <- do.call(rbind, lapply(seq_along(trees), function(g) {
  joy <- joy_mean[g] + joy_sd[g] * stats::rnorm(sizes[g])
  answers <- sapply(1:5, function(i) round(slider(intercept[g, i], loading[g, i] * joy, 11)))
  colnames(answers) <- paste0("jo", 1:5)
  data.frame(choir = trees[g], answers)
}))
choirs_eighteen$choir <- factor(choirs_eighteen$choir)
save(choirs_eighteen, file = "data/choirs_eighteen.rda", version = 2, compress = "xz")
csv(choirs_eighteen, "choirs-eighteen.csv")

# The measurement model of the demo, as a blueprint file.

if (requireNamespace("orizzonte", quietly = TRUE)) {
  library(orizzonte)
  blueprint("Singing in an amateur choir") |>
    construct("Belonging", reflected_in = be1:be4) |>
    construct("Calm", reflected_in = sc1:sc4) |>
    construct("Craft", reflected_in = cr1:cr4) |>
    construct("Staying", reflected_in = st1:st3) |>
    covary(be1, be2) |>
    wording(wordings[c(paste0("be", 1:4), paste0("sc", 1:4), paste0("cr", 1:4),
                       paste0("st", 1:3))]) |>
    write_blueprint("inst/extdata/choirs.yaml")
}
