// A measured bracket as it is stored, and read back.
#include <nlohmann/json.hpp>

#include "base/json_numbers.h"
#include "recover/latitude.h"
#include "recover/reducer.h"

using nlohmann::json;

namespace edge {
namespace {

Vec3 vectorFrom(const json& j) {
  return {j.at(0), j.at(1), j.at(2)};
}

json storedSolved(const SolvedBranch& s) {
  const Correction& c = s.correction;
  return {
      {"branch", specOf(c.branch).key},
      {"k", c.back.k},
      {"q", c.back.q},
      {"gains", threeNumbers(c.gains)},
      {"cdl",
       {threeNumbers(c.cdl.slope), threeNumbers(c.cdl.offset), threeNumbers(c.cdl.power), c.cdl.saturation}},
      {"offset", c.codeOffset},
      {"effort", s.effort},
      {"at_bound", s.atBound}};
}

SolvedBranch solvedFrom(const json& j) {
  SolvedBranch s;
  Correction& c = s.correction;
  c.branch = parseBranch(j.at("branch")).value_or(Branch::Exposure);
  c.back.k = j.at("k");
  c.back.q = j.at("q");
  c.gains = vectorFrom(j.at("gains"));
  const json& cdl = j.at("cdl");
  c.cdl = {vectorFrom(cdl.at(0)), vectorFrom(cdl.at(1)), vectorFrom(cdl.at(2)), cdl.at(3)};
  c.codeOffset = j.at("offset");
  s.effort = j.at("effort");
  s.atBound = j.at("at_bound").get<std::vector<std::string>>();
  return s;
}

json figuresJson(const std::array<std::optional<double>, kCriteria>& figures) {
  json j = json::object();
  for (const auto& s : criteria())
    if (const auto& v = figures[static_cast<size_t>(s.id)]) j[s.key] = number(v);
  return j;
}

// A criterion that is younger than the result has no figure in it.
std::array<std::optional<double>, kCriteria> figuresFrom(const json& j) {
  std::array<std::optional<double>, kCriteria> figures{};
  if (!j.is_object()) throw json::other_error::create(501, "figures are no object", &j);
  for (const auto& s : criteria())
    if (const auto at = j.find(s.key); at != j.end())
      figures[static_cast<size_t>(s.id)] = optionalNumber(*at);
  return figures;
}

json rungsJson(const TakeMetrics& m) {
  json list = json::array();
  for (const auto& rung : m.rungs) {
    json delivered = json::array();
    for (const auto& d : rung.delivered) delivered.push_back({toJson(d.delivery), figuresJson(d.figures)});
    list.push_back({{"rung", rung.rung},
                    {"figures", figuresJson(rung.figures)},
                    {"delivered", delivered},
                    {"kept", number(rung.detailKept)},
                    {"smear", number(rung.smear)}});
  }
  return list;
}

json coloursJson(const TakeMetrics& m) {
  json list = json::array();
  for (const auto& c : m.colours)
    list.push_back({c.name, c.role, c.neutral, c.intact, threeNumbers(c.light), threeNumbers(c.error)});
  return list;
}

json stressedJson(const TakeMetrics& m) {
  json list = json::array();
  for (const auto& figures : m.stressed) list.push_back(figuresJson(figures));
  return list;
}

RungFigures rungFrom(const json& j) {
  RungFigures rung;
  rung.rung = Whole(j.at("rung"));
  if (rung.rung >= reducerLadder().size()) throw json::other_error::create(501, "no such rung", &j);
  rung.figures = figuresFrom(j.at("figures"));
  for (const auto& d : j.at("delivered"))
    rung.delivered.push_back({deliveryFrom(d.at(0)), figuresFrom(d.at(1)), {}});
  rung.detailKept = optionalNumber(j.at("kept"));
  rung.smear = optionalNumber(j.at("smear"));
  return rung;
}

json storedTake(const TakeMetrics& m) {
  json room = json::array();
  for (const auto& r : m.clipRoom) room.push_back(number(r));
  json deltas = json::array(), codes = json::array(), delivered = json::array();
  for (const auto& [name, delta] : m.deltaByPatch) deltas.push_back({name, delta});
  for (const auto& [name, code] : m.codes) codes.push_back({name, threeNumbers(code)});
  for (const auto& d : m.delivered)
    delivered.push_back({toJson(d.delivery), figuresJson(d.figures), figuresJson(d.sigmas)});
  json j = {{"name", m.name},
            {"planned", m.planned},
            {"measured", number(m.measured)},
            {"sigma", m.sigma},
            {"solved", storedSolved(m.solved)},
            {"patches_used", m.patchesUsed},
            {"by_median", m.byMedian},
            {"scatter", m.scatterStops},
            {"drift", m.driftStops},
            {"followed", {m.framing.dx, m.framing.dy, m.framing.turn, m.framing.scale}},
            {"clipped_skin", threeNumbers(m.clippedSkin)},
            {"suspected_clip", number(m.suspectedClip)},
            {"clip_room", room},
            {"clip_room_sigma", m.clipRoomSigma},
            {"clipped_where", m.clippedWhere},
            {"rebuilt_skin", number(m.rebuiltSkin)},
            {"shift", {m.shiftA, m.shiftB}},
            {"dark_shift", {number(m.darkShiftA), number(m.darkShiftB)}},
            {"skin", {number(m.skinA), number(m.skinB), m.skinWhere}},
            {"delta", {m.deltaMean, m.deltaMax}},
            {"delta_by_patch", deltas},
            {"codes", codes},
            {"colours", coloursJson(m)},
            {"figures", figuresJson(m.figures)},
            {"sigmas", figuresJson(m.sigmas)},
            {"delivered", delivered},
            {"rungs", rungsJson(m)},
            {"stressed", stressedJson(m)},
            {"noise_per_pixel", {number(m.lumaNoisePerPixel), number(m.chromaNoisePerPixel)}},
            {"stripes_moving", number(m.movingStripes)},
            {"detail", {m.detailWhere, number(m.detailNoiseFree), number(m.detailGain), m.moved}},
            {"frames", m.frames},
            {"repeated_frames", m.repeatedFrames},
            {"lossy_codec", m.lossyCodec}};
  store(j, m.missing);
  return j;
}

TakeMetrics takeFromJson(const json& j) {
  TakeMetrics m;
  m.name = j.at("name");
  m.planned = j.at("planned");
  m.measured = optionalNumber(j.at("measured"));
  m.sigma = j.at("sigma");
  m.solved = solvedFrom(j.at("solved"));
  m.patchesUsed = Whole(j.at("patches_used"));
  m.byMedian = j.at("by_median");
  m.scatterStops = j.at("scatter");
  m.driftStops = j.at("drift");
  const json& f = j.at("followed");
  m.framing = {f.at(0), f.at(1), f.at(2), f.at(3), 0};
  for (size_t c = 0; c < 3; ++c) m.clippedSkin[c] = optionalNumber(j.at("clipped_skin").at(c));
  m.clippedWhere = j.at("clipped_where");
  m.rebuiltSkin = optionalNumber(j.at("rebuilt_skin"));
  m.suspectedClip = optionalNumber(j.at("suspected_clip"));
  for (size_t i = 0; i < m.clipRoom.size(); ++i) m.clipRoom[i] = optionalNumber(j.at("clip_room").at(i));
  m.shiftA = j.at("shift").at(0);
  m.shiftB = j.at("shift").at(1);
  m.darkShiftA = optionalNumber(j.at("dark_shift").at(0));
  m.darkShiftB = optionalNumber(j.at("dark_shift").at(1));
  m.skinA = optionalNumber(j.at("skin").at(0));
  m.skinB = optionalNumber(j.at("skin").at(1));
  m.skinWhere = j.at("skin").at(2);
  m.deltaMean = j.at("delta").at(0);
  m.deltaMax = j.at("delta").at(1);
  for (const auto& d : j.at("delta_by_patch")) m.deltaByPatch.emplace_back(d.at(0), d.at(1));
  for (const auto& c : j.at("codes")) m.codes.emplace_back(c.at(0), vectorFrom(c.at(1)));
  for (const auto& c : j.at("colours"))
    m.colours.push_back({c.at(0), c.at(1), c.at(2), c.at(3), vectorFrom(c.at(4)), vectorFrom(c.at(5))});
  m.figures = figuresFrom(j.at("figures"));
  m.sigmas = figuresFrom(j.at("sigmas"));
  m.clipRoomSigma = j.at("clip_room_sigma");
  for (const auto& d : j.at("delivered"))
    m.delivered.push_back({deliveryFrom(d.at(0)), figuresFrom(d.at(1)), figuresFrom(d.at(2))});
  for (const auto& rung : j.at("rungs")) m.rungs.push_back(rungFrom(rung));
  for (const auto& step : j.at("stressed")) m.stressed.push_back(figuresFrom(step));
  m.lumaNoisePerPixel = optionalNumber(j.at("noise_per_pixel").at(0));
  m.chromaNoisePerPixel = optionalNumber(j.at("noise_per_pixel").at(1));
  m.movingStripes = optionalNumber(j.at("stripes_moving"));
  m.detailWhere = j.at("detail").at(0);
  m.detailNoiseFree = optionalNumber(j.at("detail").at(1));
  m.detailGain = optionalNumber(j.at("detail").at(2));
  m.moved = j.at("detail").at(3);
  m.frames = Whole(j.at("frames"));
  m.missing = missingFrom(j);
  m.repeatedFrames = Whole(j.at("repeated_frames"));
  m.lossyCodec = j.at("lossy_codec");
  return m;
}

json storedLook(const LookMeasure& look) {
  json takes = json::array();
  for (const auto& t : look.takes) takes.push_back(storedTake(t));
  return {{"name", look.name}, {"base", storedTake(look.base)}, {"takes", takes}};
}

}  // namespace

json toJson(const LatitudeMeasure& m) {
  json j = {{"face_grey", m.faceGrey},
            {"dark_patch", m.darkPatch},
            {"display", m.display},
            {"curve", m.curve},
            {"log_encoding", m.logEncoding},
            {"primaries", nameOf(m.primaries)},
            {"delivery", toJson(m.delivery)},
            {"to_grey", number(m.toGrey)},
            {"to_skin", number(m.toSkin)},
            {"wrong_curve_scatter", m.wrongCurveScatter},
            {"base", storedTake(m.base)},
            {"takes", json::array()},
            {"branches", json::array()},
            {"stress", json::array()},
            {"look", m.look ? storedLook(*m.look) : json()}};
  for (const auto& step : m.stress) j["stress"].push_back(toJson(step));
  for (const auto& t : m.takes) j["takes"].push_back(storedTake(t));
  for (const auto& list : m.branches) {
    json& stored = j["branches"].emplace_back(json::array());
    for (const auto& t : list) stored.push_back(storedTake(t));
  }
  return j;
}

LatitudeMeasure latitudeFromJson(const json& j) {
  LatitudeMeasure m;
  m.faceGrey = j.at("face_grey");
  m.darkPatch = j.at("dark_patch");
  m.display = j.at("display");
  m.curve = j.at("curve");
  m.logEncoding = j.at("log_encoding");
  m.primaries = parsePrimaries(j.at("primaries")).value_or(Primaries::Bt709);
  m.wrongCurveScatter = j.at("wrong_curve_scatter");
  m.delivery = deliveryFrom(j.at("delivery"));
  m.toGrey = optionalNumber(j.at("to_grey"));
  m.toSkin = optionalNumber(j.at("to_skin"));
  m.base = takeFromJson(j.at("base"));
  for (const auto& t : j.at("takes")) m.takes.push_back(takeFromJson(t));
  for (const auto& list : j.at("branches")) {
    auto& takes = m.branches.emplace_back();
    for (const auto& t : list) takes.push_back(takeFromJson(t));
  }
  for (const auto& step : j.at("stress")) m.stress.push_back(stressStepFrom(step));
  if (const json& look = j.at("look"); look.is_object()) {
    m.look = LookMeasure{look.at("name"), takeFromJson(look.at("base")), {}};
    for (const auto& t : look.at("takes")) m.look->takes.push_back(takeFromJson(t));
  }
  return m;
}

}  // namespace edge
