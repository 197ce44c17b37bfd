#include "measure/transfer.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>

#include "base/error.h"
#include "image/accumulator.h"
#include "measure/noise.h"
#include "measure/temporal.h"

using nlohmann::json;

namespace edge {
namespace {

constexpr double kLinearBelow = 0.7;    // of the plateau
constexpr double kClippedShare = 1e-3;  // of samples at the top, above which a take says nothing of noise
constexpr double kPlateauShare = 0.5;   // and from which it says where the plateau is
constexpr double kHigh = 0.6;           // of the brightest take, from where one can be saturated
constexpr double kNoiseFallen = 0.5;    // of photons' variance
constexpr double kReadable = 0.25;      // DN^2 of dark variance, below which rounding hides the read noise
constexpr double kRounding = 1.0 / 12;
constexpr double kFiltered = 0.10;  // vertical lag
constexpr int kMaxSide = 512;       // sites of one colour

int colourOf(char c) {
  return c == 'R' ? 0 : c == 'G' ? 1 : 2;
}

Rect areaOf(const PixelFormat& f, const std::optional<Quad>& wanted) {
  const Quad quarter = {{{f.width / 4.0, f.height / 4.0},
                         {3 * f.width / 4.0, f.height / 4.0},
                         {3 * f.width / 4.0, 3 * f.height / 4.0},
                         {f.width / 4.0, 3 * f.height / 4.0}}};
  const Rect r = innerRect(wanted.value_or(quarter), 0.02, 4, 2 * kMaxSide);
  if (r.x < 0 || r.y < 0 || r.x + r.width > f.width || r.y + r.height > f.height)
    throw Error("the area lies outside the picture", "", "region", "correct its corners");
  if (r.width < 32 || r.height < 32)
    throw Error("the area is too small", "", "region", "ask for at least 32 x 32 pixels of an even field");
  return r;
}

struct Site {
  RegionAccumulator sums;
  std::vector<float> block;
  double top = 0;
  std::int64_t atTop = 0, count = 0;
};

void readSite(const PixelFormat& f, const Frame& frame, const Rect& area, int site, Site& s) {
  const ChannelView& v = frame.channels[0];
  const int w = area.width / 2, h = area.height / 2;
  s.block.resize(static_cast<size_t>(w) * h);
  for (int y = 0; y < h; ++y)
    for (int x = 0; x < w; ++x) {
      const int px = area.x + 2 * x + (site & 1), py = area.y + 2 * y + (site >> 1);
      const auto* at = v.data + static_cast<std::ptrdiff_t>(py) * v.rowBytes +
                       static_cast<std::ptrdiff_t>(px) * v.stepBytes;
      const double dn = f.sample == SampleType::U8 ? *reinterpret_cast<const std::uint8_t*>(at)
                                                   : *reinterpret_cast<const std::uint16_t*>(at);
      s.block[static_cast<size_t>(y) * w + x] = static_cast<float>(dn);
      if (dn > s.top) s.top = dn, s.atTop = 0;
      s.atTop += dn == s.top;
      ++s.count;
    }
  s.sums.add(s.block.data());
}

TransferPoint pointOf(const Site& s) {
  TransferPoint p;
  const NoiseSums sums = s.sums.sums();
  p.mean = sums.level;
  p.samples = static_cast<double>(sums.rows) * sums.columns, p.frames = sums.frames;
  p.variance = temporalVariance(sums).value_or(0);
  if (const auto split = splitNoise(sums); split && split->pixelFixed)
    p.fixed = *split->pixelFixed + split->rowFixed.value_or(0) + split->columnFixed.value_or(0);
  if (const auto filtering = filteringOf(s.sums.lags())) p.verticalLag = filtering->verticalLag;
  p.atTop = static_cast<double>(s.atTop) / static_cast<double>(std::max<std::int64_t>(1, s.count));
  return p;
}

TransferPoint bothGreens(const TransferPoint& a, const TransferPoint& b) {
  TransferPoint p = a;
  p.mean = (a.mean + b.mean) / 2, p.variance = (a.variance + b.variance) / 2;
  if (a.fixed && b.fixed) p.fixed = (*a.fixed + *b.fixed) / 2;
  p.samples = a.samples + b.samples, p.atTop = (a.atTop + b.atTop) / 2;
  p.verticalLag = (a.verticalLag + b.verticalLag) / 2;
  return p;
}

void requireRaw(const ClipInfo& info) {
  if (info.format.layout != Layout::Cfa || info.format.isFloat())
    throw Error(
        "photon transfer needs raw frames as the sensor gave them", info.path.string(), info.pixelFormatName,
        "give DNG frames of the mosaic: developed, log or denoised pictures no longer hold the relation");
}

[[noreturn]] void refuseRepeats(const std::filesystem::path& clip) {
  throw Error("frames repeat", clip.string(), "temporal noise",
              "photon transfer wants frames of their own: record at the rate the camera really scans at");
}

// Weighted straight line y = a + b x with its standard errors.
struct Line {
  double a = 0, b = 0, sigmaA = 0, sigmaB = 0;
  bool valid = false;
};
Line fitLine(const std::vector<std::array<double, 3>>& points) {  // x, y, sigma of y
  double sw = 0, sx = 0, sy = 0, sxx = 0, sxy = 0;
  for (const auto& [x, y, sigma] : points) {
    const double w = 1 / (sigma * sigma);
    sw += w, sx += w * x, sy += w * y, sxx += w * x * x, sxy += w * x * y;
  }
  const double det = sw * sxx - sx * sx;
  Line l;
  if (points.size() < 3 || !(det > 1e-12 * sw * sxx)) return l;
  l.b = (sw * sxy - sx * sy) / det, l.a = (sxx * sy - sx * sxy) / det;
  l.sigmaB = std::sqrt(sw / det), l.sigmaA = std::sqrt(sxx / det);
  double chi = 0;
  for (const auto& [x, y, sigma] : points) chi += std::pow((y - l.a - l.b * x) / sigma, 2);
  // Points that scatter more than their own noise say that the line is less well known.
  const double scatter = std::max(1.0, std::sqrt(chi / static_cast<double>(points.size() - 2)));
  l.sigmaA *= scatter, l.sigmaB *= scatter;
  l.valid = l.b > 0;
  return l;
}

double varianceSigma(const TransferPoint& p) {
  return p.variance * std::sqrt(2 / std::max(1.0, p.samples * (p.frames - 1)));
}

class Fit {
 public:
  Fit(const std::vector<TransferPoint>& points, double blackLevel) : points_(points), dark_(blackLevel) {}

  TransferChannel run() {
    double top = 0;
    for (const auto& p : points_)
      if (p.black) black_ = &p, dark_ = p.mean;
    saturated_ = saturatedTakes(points_, dark_);
    for (size_t i = 0; i < points_.size(); ++i) {
      if (saturated_[i]) plateau_ = std::max(plateau_.value_or(0), points_[i].mean);
      top = std::max(top, points_[i].mean);
    }
    ceiling_ = dark_ + kLinearBelow * (plateau_.value_or(top / kLinearBelow) - dark_);
    gain();
    if (out_.gainDnPerE) readNoise(), fullWell();
    prnu();
    return out_;
  }

 private:
  [[nodiscard]] bool usable(const TransferPoint& p) const {
    return p.frames > 1 && p.atTop <= kClippedShare && p.mean <= ceiling_ && p.variance > 0 &&
           !saturated_[static_cast<size_t>(&p - points_.data())];
  }
  void warn(const char* code, std::string message) {
    out_.warnings.push_back({code, std::move(message), ""});
  }

  void gain() {
    std::vector<std::array<double, 3>> rows;
    for (const auto& p : points_)
      if (usable(p)) rows.push_back({p.mean - dark_, p.variance, varianceSigma(p)});
    line_ = fitLine(rows);
    if (line_.valid)
      out_.gainDnPerE = Estimate{line_.b, line_.sigmaB};
    else
      warn("few-takes",
           fmt::format("{} usable takes are too few for a line: shoot a bracket of at least five",
                       rows.size()));
  }

  void readNoise() {
    const double k = line_.b;
    double v = line_.a, sigma = line_.sigmaA;
    if (black_)
      v = black_->variance, sigma = varianceSigma(*black_);
    else
      warn("no-black", "no take with the cap on: read noise is the line's own beginning, less sure");
    if (v < kReadable) return warn("quantised", "read noise below 0.5 DN: hidden by the converter's steps");
    const double r = std::sqrt(v - kRounding) / k;
    out_.readNoiseE = Estimate{r, std::hypot(sigma / (2 * (v - kRounding)) * r, r * line_.sigmaB / k)};
  }

  void fullWell() {
    if (!plateau_) return warn("upper-not-reached", "no take clips: open up until one does");
    const double well = (*plateau_ - dark_) / line_.b;
    out_.fullWellE = Estimate{well, well * line_.sigmaB / line_.b};
  }

  void prnu() {
    std::vector<std::array<double, 3>> rows;
    for (const auto& p : points_)
      if (usable(p) && p.fixed) {
        const double sigma = std::sqrt(2 / p.samples) * (std::abs(*p.fixed) + p.variance / p.frames);
        rows.push_back({(p.mean - dark_) * (p.mean - dark_), *p.fixed, std::max(1e-12, sigma)});
      }
    const Line l = fitLine(rows);
    if (rows.empty()) return warn("few-frames", "PRNU needs eight frames a take");
    if (!l.valid) return warn("few-takes", "PRNU is below what these takes can show");
    const double p = std::sqrt(l.b);
    out_.prnuPercent = Estimate{100 * p, 100 * l.sigmaB / (2 * p)};
  }

  const std::vector<TransferPoint>& points_;
  double dark_, ceiling_ = 0;
  std::optional<double> plateau_;
  std::vector<bool> saturated_;
  const TransferPoint* black_ = nullptr;
  Line line_;
  TransferChannel out_;
};

// Photons' variance over their signal, DN: middle of the darker half of the takes.
double roughGain(const std::vector<TransferPoint>& points, double dark, double top) {
  std::vector<double> gains;
  for (const auto& p : points)
    if (!p.black && p.mean - dark > 0.005 * (top - dark) && p.mean - dark < 0.5 * (top - dark))
      gains.push_back(p.variance / (p.mean - dark));
  if (gains.empty()) return 0;
  std::nth_element(gains.begin(), gains.begin() + static_cast<std::ptrdiff_t>(gains.size() / 2), gains.end());
  return gains[gains.size() / 2];
}

json toJson(const std::optional<Estimate>& e) {
  return e ? json{{"value", e->value}, {"sigma", e->sigma}} : json();
}

}  // namespace

TransferMeasure measureTransfer(const std::vector<TransferClip>& clips, const std::optional<Quad>& wanted,
                                const Progress& progress) {
  TransferMeasure m;
  std::optional<PixelFormat> format;
  std::vector<std::array<double, 4>> tops;
  std::array<double, 4> seriesTop{};
  std::array<std::vector<bool>, 3> again;  // by colour and take: each site has frames like the one before
  for (size_t i = 0; i < clips.size(); ++i) {
    progress.report(static_cast<double>(i) / static_cast<double>(clips.size()),
                    clips[i].clip.filename().string());
    const Progress quiet([&progress](double, const std::string&) { progress.throwIfCancelled(); });
    const auto reader = openClip(clips[i].clip);
    requireRaw(reader->info());
    const PixelFormat& f = reader->info().format;
    if (format && !format->sameAs(f))
      throw Error("the takes are of different formats", clips[i].clip.string(), "",
                  "give takes of one camera and one mode");
    format = f;
    const Rect area = areaOf(f, wanted);
    std::vector<Site> sites(4, Site{RegionAccumulator(area.width / 2, area.height / 2), {}, 0, 0, 0});
    forEachFrame(*reader, clips[i].window, quiet, [&](const Frame& frame) {
      for (int s = 0; s < 4; ++s) readSite(f, frame, area, s, sites[static_cast<size_t>(s)]);
    });
    for (auto& list : again) list.push_back(true);
    std::optional<TransferPoint> green;
    for (size_t s = 0; s < 4; ++s) {
      TransferPoint p = pointOf(sites[s]);
      p.black = clips[i].black;
      seriesTop[s] = std::max(seriesTop[s], sites[s].top);
      const int c = colourOf(f.cfa[s]);
      if (nearRepeats(sites[s].sums.sums().changeByLag[0]).empty()) again[c].back() = false;
      m.blackLevel[c] = f.black[s];
      if (c == 1 && !green) {
        green = p;
        continue;
      }
      m.points[c].push_back(c == 1 ? bothGreens(*green, p) : p);
      if (p.verticalLag > kFiltered && p.atTop < kClippedShare && !p.black)
        throw Error(fmt::format("noise is filtered (vertical lag {:.2f})", p.verticalLag),
                    clips[i].clip.string(), "",
                    "photon transfer holds for untouched frames only: switch noise reduction off");
    }
    tops.push_back({sites[0].top, sites[1].top, sites[2].top, sites[3].top});
  }
  // Sites at their end hardly change, which is no repeat.
  for (int c = 0; c < 3; ++c) {
    const auto& list = m.points[c];
    const auto saturated = saturatedTakes(list, m.blackLevel[c]);
    double top = 0;
    for (const auto& p : list) top = std::max(top, p.mean);
    for (size_t i = 0; i < list.size(); ++i) {
      const TransferPoint& p = list[i];
      const bool still = p.frames > 1 && p.variance == 0 && !p.black && p.mean < kHigh * top;
      if (still || (again[c][i] && !saturated[i])) refuseRepeats(clips[i].clip);
    }
  }
  // What lies below the series' top code is no clip, however many samples share it.
  for (size_t i = 0; i < tops.size(); ++i)
    for (size_t s = 0; s < 4; ++s)
      if (tops[i][s] < seriesTop[s]) m.points[colourOf(format->cfa[s])][i].atTop = 0;
  return m;
}

std::vector<bool> saturatedTakes(const std::vector<TransferPoint>& points, double dark) {
  double top = dark;
  for (const auto& p : points) top = std::max(top, p.mean);
  const double gain = roughGain(points, dark, top);
  std::vector<bool> saturated;
  for (const auto& p : points) {
    const bool high = p.mean - dark > kHigh * (top - dark);
    saturated.push_back(!p.black &&
                        (p.atTop >= kPlateauShare ||
                         (high && p.frames > 1 && p.variance < kNoiseFallen * gain * (p.mean - dark))));
  }
  return saturated;
}

TransferChannel fitTransfer(const std::vector<TransferPoint>& points, double blackLevel) {
  return Fit(points, blackLevel).run();
}

json transferToJson(const TransferMeasure& m) {
  constexpr const char* kNames[3] = {"R", "G", "B"};
  json j = {{"channels", json::object()}, {"warnings", json::array()}};
  for (int c = 0; c < 3; ++c) {
    const TransferChannel t = fitTransfer(m.points[c], m.blackLevel[c]);
    json points = json::array();
    const auto saturated = saturatedTakes(m.points[c], m.blackLevel[c]);
    for (size_t i = 0; i < m.points[c].size(); ++i) {
      const TransferPoint& p = m.points[c][i];
      points.push_back({{"mean_dn", p.mean},
                        {"variance_dn2", p.variance},
                        {"clipped", p.atTop > kClippedShare || saturated[i]}});
    }
    j["channels"][kNames[c]] = {{"gain_dn_per_e", toJson(t.gainDnPerE)},
                                {"read_noise_e", toJson(t.readNoiseE)},
                                {"full_well_e", toJson(t.fullWellE)},
                                {"prnu_percent", toJson(t.prnuPercent)},
                                {"points", points}};
    for (const auto& w : t.warnings)
      j["warnings"].push_back(
          {{"code", w.code}, {"message", w.message}, {"where", std::string("channel ") + kNames[c]}});
  }
  return j;
}

}  // namespace edge
