// Makes valid small files for the targets that read no text: FOLDER/TARGET/*. Results and decisions come from
// a project (the small demo), cut to what still reads.
//   edge_fuzz_seeds FOLDER PROJECT
#include <SQLiteCpp/SQLiteCpp.h>

#include <array>
#include <filesystem>
#include <fstream>
#include <nlohmann/json.hpp>
#include <random>

#include "base/files.h"
#include "color/look_files.h"
#include "match/take_checks.h"
#include "media/writers.h"
#include "noise/store.h"
#include "project/project.h"
#include "shoot/slate_code.h"
#include "support/support.h"
#include "target.h"

namespace fs = std::filesystem;
using nlohmann::json;

namespace edge::fuzz {
namespace {

constexpr int kWidth = 32, kHeight = 24;
constexpr size_t kLargestSeed = 32 << 10;

class Corpus {
 public:
  explicit Corpus(fs::path folder) : folder_(std::move(folder)) {}
  void add(const std::string& target, const std::string& bytes, const std::string& chosen = "") {
    fs::create_directories(folder_ / target);
    std::ofstream out(folder_ / target / ("seed-" + std::to_string(count_++)), std::ios::binary);
    out << chosen << bytes;
  }
  // The byte that chooses this extension of a target's.
  static std::string choice(const std::string& target, const std::string& extension) {
    for (const auto& t : targets())
      if (t.name == target)
        for (size_t i = 0; i < t.extensions.size(); ++i)
          if (t.extensions[i] == extension && t.extensions.size() > 1)
            return std::string(1, static_cast<char>(i));
    return "";
  }

 private:
  fs::path folder_;
  int count_ = 0;
};

void addPictures(Corpus& corpus, const fs::path& work) {
  std::mt19937_64 random(1);
  std::vector<float> pixels(3 * kWidth * kHeight);
  for (auto& p : pixels) p = static_cast<float>(random() % 1000) / 1000;
  struct Kind {
    const char *target, *extension;
    int bits;
  };
  for (const auto& k : {Kind{"exr", ".exr", -16},
                        {"exr", ".exr", 32},
                        {"tiff", ".tif", 16},
                        {"tiff", ".tif", 8},
                        {"dpx", ".dpx", 10},
                        {"dpx", ".dpx", 16},
                        {"png", ".png", 8},
                        {"png", ".png", 16}}) {
    const fs::path file = work / (std::string("p") + k.extension);
    test::writeImage(file, kWidth, kHeight, 3, pixels, k.bits);
    corpus.add(k.target, readText(file));
  }
}

// As the target "png-made" puts them together: IHDR of a picture of 5 by 5, then chunks.
void addMadePngs(Corpus& corpus) {
  const auto chunk = [](int kind, const std::string& bytes) {
    return std::string{static_cast<char>(kind), static_cast<char>(bytes.size()),
                       static_cast<char>(bytes.size() >> 8)} +
           bytes;
  };
  const std::string sides("\0\0\0\5\0\0\0\5", 8), text = chunk(3, std::string("Note\0words", 10));
  corpus.add("png-made", sides + std::string("\10\2\0\0\0", 5) + text + chunk(0, std::string(5 * 16, '\1')));
  corpus.add("png-made", sides + std::string("\20\6\0\0\1", 5) + chunk(0, std::string(240, '\0')));
  corpus.add("png-made", sides + std::string("\4\3\0\0\0", 5) + chunk(1, std::string(48, 'p')) +
                             chunk(2, "t") + chunk(0, std::string(5 * 4, '\0')));
  corpus.add("png-made", sides + std::string("\1\0\0\0\0", 5) + chunk(0, std::string(5 * 2, '\0')));
}

void addFootage(Corpus& corpus, const fs::path& work) {
  std::mt19937_64 random(2);
  std::vector<std::uint16_t> codes(kWidth * kHeight), chroma(kWidth / 2 * kHeight, 512);
  for (auto& c : codes) c = static_cast<std::uint16_t>(100 + random() % 800);
  const fs::path movie = work / "m.mkv", raw = work / "r.dng";
  MovieWriter w(movie, kWidth, kHeight, 24);
  for (int n = 0; n < 3; ++n) w.add(codes, chroma, chroma);
  w.finish();
  corpus.add("movie", readText(movie), Corpus::choice("movie", ".mkv"));
  DngDescription d;
  d.model = "Tarn M1", d.width = kWidth, d.height = kHeight, d.white = 1023;
  d.xyzToCamera = *inverse(rgbToXyz(Primaries::Bt709));
  writeDng(raw, d, codes);
  corpus.add("dng", readText(raw));
  const std::string packet = readText(movie).substr(600, 200);
  corpus.add("packets", std::string("\xc8\0", 2) + packet);
}

void addLooks(Corpus& corpus, const fs::path& work) {
  const fs::path cdl = work / "l.cdl", clf = work / "l.clf";
  writeCdl(cdl, {"a", "b", {}});
  writeClf(clf, {"a", "b", {}});
  corpus.add("look", readText(cdl), Corpus::choice("look", ".cdl"));
  corpus.add("look", readText(clf), Corpus::choice("look", ".clf"));
  corpus.add("look", "LUT_1D_SIZE 3\n0 0 0\n0.2 0.2 0.2\n1 1 1\n", Corpus::choice("look", ".cube"));
  corpus.add("look", "Version 1\nFrom 0 1\nLength 3\nComponents 1\n{\n0\n0.2\n1\n}\n",
             Corpus::choice("look", ".spi1d"));
  std::string lattice = "LUT_3D_SIZE 2\n";
  for (int n = 0; n < 8; ++n)
    lattice += std::to_string(n & 1) + " " + std::to_string(n >> 1 & 1) + " " + std::to_string(n >> 2) + "\n";
  corpus.add("look", lattice, Corpus::choice("look", ".cube"));
}

void addSlate(Corpus& corpus) {
  SlateCode code;
  code.project = "9F3A1C", code.take = "7K2QXA", code.stops = 3;
  const QrSymbol qr = qrOf(slateText(code));
  constexpr int kModule = 2, kQuiet = 4;
  const int side = (qr.side + 2 * kQuiet) * kModule;
  std::string picture(1, static_cast<char>(side - 1));
  for (int y = 0; y < side; ++y)
    for (int x = 0; x < side; ++x) {
      const int mx = x / kModule - kQuiet, my = y / kModule - kQuiet;
      const bool inside = mx >= 0 && my >= 0 && mx < qr.side && my < qr.side;
      picture += inside && qr.at(mx, my) ? '\x10' : '\xf0';
    }
  corpus.add("slate-picture", picture);
}

// Lists cut to their first entries.
json cut(const json& j, size_t most) {
  json out = j;
  if (j.is_array()) {
    out = json::array();
    for (size_t i = 0; i < std::min(most, j.size()); ++i) out.push_back(cut(j[i], most));
  } else if (j.is_object()) {
    for (auto& [key, value] : out.items()) value = cut(value, most);
  }
  return out;
}

// Empty ones of the kinds that a project of brackets has not.
void addEmptyResults(Corpus& corpus) {
  const auto add = [&](const json& j) {
    for (int reader = 0; reader < resultReaders(); ++reader)
      if (resultReads(reader, j)) corpus.add("result", j.dump(), std::string(1, static_cast<char>(reader)));
  };
  SweepMeasure sweep;
  sweep.points.resize(2);
  LadderMeasure ladder;
  ladder.takes.resize(2);
  add(toJson(sweep)), add(toJson(ladder)), add(toJson(InfraredMeasure{})), add(toJson(RowTraces{}));
  add(toJson(Readout{})), add(toJson(TransferSet{})), add(toJson(TakeCheck{}));
}

void addRows(Corpus& corpus, const fs::path& project) {
  SQLite::Database db(project.string(), SQLite::OPEN_READONLY);
  SQLite::Statement results(db, "SELECT value FROM result");
  while (results.executeStep()) {
    const json whole = json::parse(results.getColumn(0).getText());
    for (int reader = 0; reader < resultReaders(); ++reader)
      for (const size_t most : {1, 2, 3, 16}) {
        const json small = cut(whole, most);
        const std::string text = small.dump();
        if (text.size() > kLargestSeed || !resultReads(reader, small)) continue;
        corpus.add("result", text, std::string(1, static_cast<char>(reader)));
        break;
      }
  }
  SQLite::Statement decisions(db, "SELECT key, value FROM decision");
  while (decisions.executeStep()) {
    const std::string value = decisions.getColumn(1).getText();
    if (value.size() <= kLargestSeed)
      corpus.add("decision", std::string(decisions.getColumn(0).getText()) + "\n" + value);
  }
}

// A project of its own, small, with one row of everything.
void addProject(Corpus& corpus, const fs::path& work) {
  const fs::path file = work / "s.edgetest";
  {
    const auto p = Project::create(file, "Saltpan Road", "9F3A1C");
    Configuration c;
    c.body = "Corvane 35", c.mode = "a", c.iso = 800, c.decode.curve = "linear";
    c.clips = {{0, ClipKind::Take, "p1", 1.0, "p1.mkv", std::string(32, 'a')}};
    const auto id = p->addConfiguration(c);
    p->setDecision({id, "p1", "override", "broken", "band"});
    p->appendLog({0, "2026-11-25T11:02:04.123Z", "Corvane 35 a 800 +1", "note", {{"text", "dry"}}});
    p->storeResult(id, "range", std::string(32, 'b'), {{"a", 1}});
  }
  corpus.add("project", readText(file));
}

}  // namespace
}  // namespace edge::fuzz

int main(int argc, char** argv) {
  using namespace edge::fuzz;
  if (argc < 3) return std::fprintf(stderr, "usage: edge_fuzz_seeds FOLDER PROJECT\n"), 2;
  const edge::test::TempFolder work;
  Corpus corpus(argv[1]);
  addPictures(corpus, work.path());
  addMadePngs(corpus);
  addFootage(corpus, work.path());
  addLooks(corpus, work.path());
  addSlate(corpus);
  addEmptyResults(corpus);
  addRows(corpus, argv[2]);
  addProject(corpus, work.path());
}
