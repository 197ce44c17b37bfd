"""Agreement, ranking and threshold fits by statsmodels and scipy, for tests/review.

python3 review_fits.py > review_fits.json   (Debian: python3-scipy, python3-statsmodels; 0.13.5)
"""
import json
import warnings

import numpy as np
from scipy import stats
from statsmodels.discrete.discrete_model import Logit
from statsmodels.miscmodels.ordinal_model import OrderedModel
from statsmodels.stats.inter_rater import fleiss_kappa
from statsmodels.stats.proportion import proportion_confint

warnings.simplefilter("ignore")
rng = np.random.default_rng(20261127)
out = {"wilson": [], "binomial": [], "fleiss": [], "bradley_terry": [], "ordinal": []}

for of, n in [(0, 5), (3, 5), (7, 10), (40, 50), (10, 10)]:
    low, high = proportion_confint(of, n, method="wilson")
    out["wilson"].append({"of": of, "n": n, "low": low, "high": high})
for of, n, p in [(3, 4, 0.4), (6, 10, 0.5), (10, 10, 0.36), (0, 7, 0.3)]:
    out["binomial"].append({"of": of, "n": n, "p": p, "chance": stats.binom.sf(of - 1, n, p)})
for raters in (3, 5):
    counts = [list(map(int, rng.multinomial(raters, rng.dirichlet([1, 1, 1])))) for _ in range(12)]
    out["fleiss"].append({"counts": counts, "kappa": fleiss_kappa(np.array(counts))})

# Bradley and Terry as a logistic regression on differences, the last item at 0, then centred.
for items, games in ((4, 12), (6, 8)):
    truth = rng.normal(size=items)
    wins = np.zeros((items, items), int)
    for i in range(items):
        for j in range(i + 1, items):
            won = rng.binomial(games, 1 / (1 + np.exp(truth[j] - truth[i])))
            wins[i, j], wins[j, i] = won, games - won
    x, y = [], []
    for i in range(items):
        for j in range(items):
            row = np.zeros(items)
            row[i], row[j] = 1, -1
            if i < j:
                x += [row[:-1]] * games
                y += [1] * wins[i, j] + [0] * wins[j, i]
    fit = Logit(np.array(y), np.array(x)).fit(disp=0, tol=1e-12, maxiter=200)
    raw = np.append(fit.params, 0)
    centre = np.eye(items) - 1 / items
    full = np.zeros((items, items))
    full[:-1, :-1] = fit.cov_params()
    error = np.sqrt(np.diag(centre @ full @ centre.T))
    out["bradley_terry"].append({"wins": wins.tolist(), "scores": (centre @ raw).tolist(), "errors": error.tolist()})

# Proportional odds: P(answer >= k) = 1 / (1 + exp((x - t_k) / s)).
for clean, lost, s, n in ((2.0, 4.0, 0.4, 40), (3.0, 5.0, 0.8, 60)):
    x = rng.uniform(clean - 2, lost + 2, n)
    u = rng.uniform(size=n)
    accept, some = 1 / (1 + np.exp((x - clean) / s)), 1 / (1 + np.exp((x - lost) / s))
    answer = np.where(u < accept, 2, np.where(u < some, 1, 0))
    model = OrderedModel(answer, x[:, None], distr="logit")
    fit = model.fit(method="bfgs", disp=0, gtol=1e-10, maxiter=2000)
    slope = -1 / fit.params[0]
    # P(answer <= k) = F(c_k - b x) with b = -1/s, so c_0 = -lost / s and c_1 = -clean / s.
    cuts = model.transform_threshold_params(fit.params)[1:-1]
    out["ordinal"].append({"figures": x.tolist(), "answers": answer.tolist(), "slope": slope,
                           "lost": -cuts[0] * slope, "clean": -cuts[1] * slope, "log_likelihood": fit.llf})
print(json.dumps(out, indent=1))
