#include "project/clip_kind.h"

#include "base/error.h"

namespace edge {
namespace {

struct KindRow {
  ClipKind kind;
  const char* word;
};
constexpr KindRow kOwn[] = {{ClipKind::Wedge, "wedge"},
                            {ClipKind::Black, "black"},
                            {ClipKind::Base, "base"},
                            {ClipKind::BaseRepeat, "base-repeat"},
                            {ClipKind::Take, "take"}};
struct TestRow {
  ClipKind kind;
  TestKind test;  // its word is that of the test
};
constexpr TestRow kOfTests[] = {{ClipKind::IsoLadder, TestKind::IsoLadder},
                                {ClipKind::IsoSweep, TestKind::IsoSweep},
                                {ClipKind::PushPair, TestKind::PushPair},
                                {ClipKind::HighlightPair, TestKind::HighlightPair},
                                {ClipKind::Twins, TestKind::Twins},
                                {ClipKind::BodyMatch, TestKind::BodyMatch},
                                {ClipKind::RollingShutter, TestKind::RollingShutter},
                                {ClipKind::Infrared, TestKind::Infrared},
                                {ClipKind::ModePair, TestKind::ModePair},
                                {ClipKind::PhotonTransfer, TestKind::PhotonTransfer},
                                {ClipKind::Check, TestKind::Check}};

}  // namespace

const char* wordOf(ClipKind kind) {
  for (const auto& r : kOwn)
    if (r.kind == kind) return r.word;
  for (const auto& r : kOfTests)
    if (r.kind == kind) return wordOf(r.test);
  return "";
}

ClipKind clipKindOf(const std::string& word) {
  for (const auto& r : kOwn)
    if (word == r.word) return r.kind;
  for (const auto& r : kOfTests)
    if (word == wordOf(r.test)) return r.kind;
  throw Error("\"" + word + "\" is no kind of clip", "", "clip", "open the project with a newer version");
}

ClipKind clipKindOf(TestKind test) {
  for (const auto& r : kOfTests)
    if (r.test == test) return r.kind;
  throw Error("takes of this test have kinds of their own", "", wordOf(test), "");
}

}  // namespace edge
