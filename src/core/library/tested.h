// What one project found of one configuration, small enough to keep thousands of them beside each other.
#pragma once
#include "plan/plan.h"
#include "report/findings.h"

namespace edge {

// The figures a re-test is compared by, stops. Over, under and clip count from grey.
enum class TestedFigure { Range, Latitude, Under, Over, Clip, Floor };
inline constexpr size_t kTestedFigures = 6;
struct TestedFigureSpec {
  TestedFigure id;
  const char *key, *words;
  bool metered;   // counted from a base that somebody metered
  bool latitude;  // comes from the bracket: protocol and limits matter
  double better;  // +1: a larger figure is better, -1: a smaller one
};
[[nodiscard]] const std::array<TestedFigureSpec, kTestedFigures>& testedFigures();

struct Tested {
  std::string file;  // of the project, from the library's folder
  std::string title;
  std::string project;  // its id, which copies share
  std::string date;     // "2026-11-25", of the last take of its log, else its first entry, else of the file
  bool dateOfFile = false;
  std::int64_t id = 0;  // of the configuration
  std::string body, mode, light;
  double iso = 0;
  std::string decode;  // curve and range: codes of one meaning
  std::string raster;  // of the wedge and what it holds: "1920 x 1080, shared colour"; empty: not measured
  std::vector<std::string> said;  // codes of what the range warns of, each once, in order
  std::string criteria;           // name and hash of the limits
  double headlineSnr = 2;
  std::optional<Protocol> protocol;
  std::array<std::optional<Limit>, kTestedFigures> figures;
  std::optional<double> baseOverCurve;  // stops of its base's grey over the level of grey by the curve
  bool fits = true;                     // of this method, and of what its project holds

  [[nodiscard]] const std::optional<Limit>& operator[](TestedFigure f) const {
    return figures[static_cast<size_t>(f)];
  }
  [[nodiscard]] std::string label() const;  // "Corvane 35 · log · ISO 800"
};

[[nodiscard]] Tested testedOf(const Finding& finding, double headlineSnr, bool fits);
// Of everything in a project; file is left as given.
[[nodiscard]] std::vector<Tested> testedOf(const Project& project, const std::string& file);
// Body, mode, ISO and light are the same, whatever their case.
[[nodiscard]] bool sameConfiguration(const Tested& a, const Tested& b);

[[nodiscard]] nlohmann::json toJson(const Tested& tested);
[[nodiscard]] Tested testedFromJson(const nlohmann::json& j);  // throws json::exception

}  // namespace edge
