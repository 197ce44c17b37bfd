// Framing, focus, vignetting and what changed in the scene, on the small pictures of take and base.
#include <algorithm>
#include <cmath>
#include <opencv2/imgproc.hpp>

#include <Eigen/Dense>

#include "base/numbers.h"
#include "match/check_context.h"

using nlohmann::json;

namespace edge {
namespace {

constexpr double kFraming = 2;   // pixels of the clip
constexpr double kFocus = 0.85;  // of the base's fine contrast
constexpr double kFocusSigma = 0.05;
constexpr double kVignetting = 0.15;  // stops from the middle to the corner, against the base
constexpr double kScene = 2;          // per cent of the picture
constexpr double kSceneStops = 0.4;   // a block of the picture this far off has changed
constexpr double kSpread = 0.06;      // stops between the blocks, above which nothing is said of the scene
constexpr double kHighPass = 2;       // pixels of the small picture
constexpr int kColumns = 32, kRows = 18;  // blocks in which light is compared
constexpr double kDark = 0.001;           // scene-linear of the take: below it the black level decides
constexpr double kBlockSnr = 8;           // of a block, to be compared

cv::Mat view(const LumaPicture& p) {
  return {p.height, p.width, CV_32F, const_cast<float*>(p.luma.data())};
}

cv::Mat highPassed(const cv::Mat& m) {
  cv::Mat low;
  cv::GaussianBlur(m, low, cv::Size(), kHighPass);
  return m - low;
}

json placeOfPixels(const cv::Mat& picture, double x, double y, double half) {
  return {{"kind", "place"},
          {"x0", std::max(0.0, x - half) / picture.cols},
          {"y0", std::max(0.0, y - half) / picture.rows},
          {"x1", std::min<double>(picture.cols, x + half) / picture.cols},
          {"y1", std::min<double>(picture.rows, y + half) / picture.rows}};
}

class PictureChecker {
 public:
  PictureChecker(const CheckContext& c, std::vector<TakeCheck>& out) : c_(c), out_(out) {}

  void run() {
    const LumaPicture &take = c_.take.mean, &base = c_.base.mean;
    if (take.width != base.width || take.height != base.height) return;
    const auto framing = registerPictures(base, take);
    if (!framing || framing->correlation < Framing::kTrusted) {
      out_.push_back({"framing", 0, kFraming, "pixels", true, false,
                      "too little is seen to compare the framing", nullptr});
      return;
    }
    const json detailed = mostDetailed();
    const double most = framing->most(base.width, base.height) * c_.take.reduction;
    out_.push_back({"framing", most, kFraming, "pixels", most <= kFraming, true,
                    wordsOf(framing->inPixels(c_.take.reduction)) + " against the base", detailed});
    if (!c_.back) return;
    const Point o = framing->of({0, 0}, base.width, base.height),
                x = framing->of({1, 0}, base.width, base.height),
                y = framing->of({0, 1}, base.width, base.height);
    warp_ = (cv::Mat_<float>(2, 3) << x.x - o.x, y.x - o.x, o.x, x.y - o.y, y.y - o.y, o.y);
    focus(detailed);
    light();
  }

 private:
  [[nodiscard]] cv::Mat aligned(const LumaPicture& p) const {
    cv::Mat m;
    cv::warpAffine((view(p) - c_.back->q) / c_.back->k, m, warp_, cv::Size(p.width, p.height),
                   cv::INTER_CUBIC | cv::WARP_INVERSE_MAP);
    return m;
  }

  // Where the base has most fine contrast.
  [[nodiscard]] json mostDetailed() const {
    cv::Mat energy = highPassed(view(c_.base.mean));
    energy = energy.mul(energy);
    cv::GaussianBlur(energy, energy, cv::Size(), 12);
    cv::Point at;
    const int border = std::min(energy.cols, energy.rows) / 10;
    cv::minMaxLoc(energy(cv::Rect(border, border, energy.cols - 2 * border, energy.rows - 2 * border)),
                  nullptr, nullptr, nullptr, &at);
    return placeOfPixels(energy, at.x + border, at.y + border, energy.cols / 16.0);
  }

  // Contrast of fine detail against the base: cov(B, O) / cov(B1, B2) of high-passed pictures, noise-free as
  // the noise of the three is independent (docs/method.md, "Latitude").
  void focus(const json& place) {
    if (c_.base.half[0].luma.empty() || c_.take.half[0].luma.empty()) return;
    const cv::Mat b1 = highPassed(view(c_.base.half[0])), b2 = highPassed(view(c_.base.half[1]));
    const cv::Mat o1 = highPassed(aligned(c_.take.half[0])), o2 = highPassed(aligned(c_.take.half[1]));
    const cv::Mat usable = usableMask();
    double bb = 0, bo = 0, noise = 0, n = 0;
    for (int y = 4; y < b1.rows - 4; ++y)
      for (int x = 4; x < b1.cols - 4; ++x) {
        if (!usable.at<std::uint8_t>(y, x)) continue;
        const double o = (o1.at<float>(y, x) + o2.at<float>(y, x)) / 2,
                     d = o1.at<float>(y, x) - o2.at<float>(y, x);
        bb += static_cast<double>(b1.at<float>(y, x)) * b2.at<float>(y, x);
        bo += o * (b1.at<float>(y, x) + b2.at<float>(y, x)) / 2;
        noise += d * d / 4, n += 1;
      }
    if (n < 1000 || bb <= 0) return;
    const double gain = bo / bb, sigma = std::sqrt(noise / n / bb);
    out_.push_back({"focus", gain, kFocus, "of the base's detail",
                    gain >= kFocus - 2 * sigma || sigma > kFocusSigma, sigma <= kFocusSigma,
                    fmt::format("{:.0f} % of the base's fine contrast", 100 * gain), place});
  }

  // Away from everything that clips in the take: colours clip in one channel well below where grey does, and
  // a clipped spot bends the fine contrast around it.
  [[nodiscard]] cv::Mat usableMask() const {
    constexpr double kBelowTop = 0.5;
    constexpr int kAround = 9;  // pixels
    std::vector<float> brought;
    for (float v : c_.take.mean.luma) brought.push_back(static_cast<float>((v - c_.back->q) / c_.back->k));
    const auto top =
        brought.begin() + static_cast<std::ptrdiff_t>(0.999 * static_cast<double>(brought.size() - 1));
    std::nth_element(brought.begin(), top, brought.end());
    cv::Mat brightest;
    cv::dilate(view(c_.base.mean), brightest, cv::Mat::ones(kAround, kAround, CV_8U));
    return c_.anythingClips() ? cv::Mat(brightest < kBelowTop * *top)
                              : cv::Mat(brightest.rows, brightest.cols, CV_8U, cv::Scalar(255));
  }

  struct Block {
    double x, y, radius2, stops, sigma;  // radius of the corner is 1
  };

  // Light of blocks, brought back, against the base. Blocks near the noise or the clip are left out.
  [[nodiscard]] std::vector<Block> blocks() const {
    const cv::Mat b = view(c_.base.mean), o = aligned(c_.take.mean), usable = usableMask();
    cv::Mat noise;
    if (!c_.take.half[0].luma.empty())
      noise = cv::abs(aligned(c_.take.half[0]) - aligned(c_.take.half[1])) / 2;
    std::vector<Block> out;
    const int w = b.cols / kColumns, h = b.rows / kRows;
    for (int j = 0; j < kRows; ++j)
      for (int i = 0; i < kColumns; ++i) {
        const cv::Rect area(i * w, j * h, w, h);
        const double then = cv::mean(b(area))[0], now = cv::mean(o(area))[0];
        if (cv::countNonZero(usable(area)) < area.area() || then <= 0 || now <= 0) continue;
        const double sd =
            noise.empty() ? 0 : cv::mean(noise(area))[0] / std::sqrt(static_cast<double>(area.area()));
        if (now < kBlockSnr * sd || then * c_.back->k < std::max(kDark, 2 * std::abs(c_.back->q))) continue;
        const double u = (i + 0.5) / kColumns * 2 - 1, v = (j + 0.5) / kRows * 2 - 1;
        out.push_back({(i + 0.5) * w, (j + 0.5) * h,
                       (u * u * b.cols * b.cols + v * v * b.rows * b.rows) /
                           (1.0 * b.cols * b.cols + 1.0 * b.rows * b.rows),
                       std::log2(now / then), sd / now / std::log(2.0)});
      }
    return out;
  }

  // log2 ratio = a + b r^2, robust against blocks that changed: refitted without the far ones.
  void light() {
    std::vector<Block> all = blocks(), used;
    used = all;
    if (all.size() < 60) return;
    Eigen::Vector2d fit(0, 0);
    double sigma = 0, spread = 0;
    for (int round = 0; round < 4; ++round) {
      Eigen::Matrix2d ata = Eigen::Matrix2d::Zero();
      Eigen::Vector2d atb = Eigen::Vector2d::Zero();
      for (const auto& b : used) {
        const Eigen::Vector2d row(1, b.radius2);
        ata += row * row.transpose(), atb += row * b.stops;
      }
      fit = ata.ldlt().solve(atb);
      std::vector<double> residuals;
      for (const auto& b : all) residuals.push_back(std::abs(b.stops - fit(0) - fit(1) * b.radius2));
      auto middle = residuals.begin() + static_cast<std::ptrdiff_t>(residuals.size() / 2);
      std::vector<double> sorted = residuals;
      std::nth_element(sorted.begin(), sorted.begin() + (middle - residuals.begin()), sorted.end());
      spread = 1.4826 * sorted[sorted.size() / 2] + 1e-4;
      used.clear();
      for (size_t i = 0; i < all.size(); ++i)
        if (residuals[i] < 3 * spread) used.push_back(all[i]);
      sigma = spread * std::sqrt(ata.inverse()(1, 1));
    }
    json x = json::array(), y = json::array();
    for (const auto& b : used) x.push_back(std::sqrt(b.radius2)), y.push_back(b.stops);
    out_.push_back(
        {"vignetting", fit(1), kVignetting, "stops",
         std::abs(fit(1)) <= std::max(kVignetting, kTellingSigmas * sigma), sigma < kVignetting,
         fmt::format("the corners are {} stops off the middle, against the base", formatSigned(fit(1), 2)),
         json{{"kind", "curve"},
              {"x", x},
              {"y", y},
              {"x_label", "from the middle (0) to the corner (1)"},
              {"y_label", "stops against base"}}});
    scene(all, fit, spread);
  }

  // `spread` of the blocks holds what frames have in common: rows and columns of the sensor.
  void scene(const std::vector<Block>& all, const Eigen::Vector2d& fit, double spread) {
    int changed = 0;
    double worst = 0;
    const Block* where = nullptr;
    for (const auto& b : all) {
      const double off = std::abs(b.stops - fit(0) - fit(1) * b.radius2);
      changed += off > std::max(kSceneStops, kTellingSigmas * std::max(b.sigma, spread));
      if (off > worst) worst = off, where = &b;
    }
    const double share = 100.0 * changed / (kColumns * kRows);
    const bool told = spread < kSpread, pass = share <= kScene || !told;
    out_.push_back(
        {"scene", share, kScene, "% of the picture", pass, told,
         pass ? std::string("nothing in the picture has moved or changed")
              : fmt::format("{:.0f} % of the picture changed: a sitter, a stand or a lamp has moved", share),
         where ? placeOfPixels(view(c_.base.mean), where->x, where->y, c_.base.mean.width / 16.0) : json()});
  }

  const CheckContext& c_;
  std::vector<TakeCheck>& out_;
  cv::Mat warp_;
};

}  // namespace

void checkPictures(const CheckContext& c, std::vector<TakeCheck>& out) {
  PictureChecker(c, out).run();
}

}  // namespace edge
