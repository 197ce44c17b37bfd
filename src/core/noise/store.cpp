#include "noise/store.h"

#include <nlohmann/json.hpp>

#include "base/json_numbers.h"

using nlohmann::json;

namespace edge {
namespace {

json limitJson(const std::optional<Limit>& l) {
  return l ? json{l->stops, l->sigma, l->atLeast} : json();
}
std::optional<Limit> limitFrom(const json& j) {
  return j.is_array() ? std::optional(Limit{j.at(0), j.at(1), j.at(2)}) : std::nullopt;
}
json seenJson(const std::optional<SeenNoise>& s) {
  return s ? json{s->luma, s->chroma} : json();
}
std::optional<SeenNoise> seenFrom(const json& j) {
  return j.is_array() ? std::optional(SeenNoise{j.at(0), j.at(1)}) : std::nullopt;
}

std::vector<Warning> warningsFrom(const json& j) {
  std::vector<Warning> list;
  for (const auto& w : j) list.push_back({w.at("code"), w.at("message"), w.at("where")});
  return list;
}

json missingJson(const MissingFrames& m) {
  json j;
  store(j, m);
  return j;
}

json zoneJson(const ZoneNoise& z) {
  json cleaned = json::array(), snr = json::array(), punched = json::array();
  for (const auto& p : z.punched) punched.push_back(seenJson(p));
  for (const auto& c : z.cleaned) cleaned.push_back(seenJson(c));
  for (const auto& s : z.snr) snr.push_back(number(s));
  return {{"zone", static_cast<int>(z.zone)},
          {"patch", z.patch},
          {"stops", z.stops},
          {"level", z.level},
          {"snr", snr},
          {"seen", seenJson(z.seen)},
          {"cleaned", cleaned},
          {"punched", punched},
          {"temporal", number(z.temporal)},
          {"parts",
           {number(z.fixed), number(z.row), number(z.column), number(z.fixedRow), number(z.fixedColumn)}},
          {"grain", {number(z.grainPx), number(z.chromaGrainPx)}},
          {"hue", z.hue},
          {"still", z.still},
          {"doubt", static_cast<int>(z.doubt)},
          {"sigma", z.sigma},
          {"signal_sigma", z.signalSigma}};
}

ZoneNoise zoneFrom(const json& j) {
  ZoneNoise z;
  const int zone = Whole(j.at("zone"));
  if (zone < 0 || zone >= kZones) throw json::other_error::create(501, "no such zone", &j);
  z.zone = static_cast<Zone>(zone);
  z.patch = j.at("patch");
  z.stops = j.at("stops");
  z.level = j.at("level");
  for (size_t i = 0; i < z.snr.size(); ++i) z.snr[i] = optionalNumber(j.at("snr").at(i));
  z.seen = seenFrom(j.at("seen"));
  for (const auto& c : j.at("cleaned")) z.cleaned.push_back(seenFrom(c));
  for (size_t i = 0; i < z.punched.size(); ++i) z.punched[i] = seenFrom(j.at("punched").at(i));
  z.temporal = optionalNumber(j.at("temporal")).value_or(0);
  const json& parts = j.at("parts");
  z.fixed = optionalNumber(parts.at(0));
  z.row = optionalNumber(parts.at(1));
  z.column = optionalNumber(parts.at(2));
  z.fixedRow = optionalNumber(parts.at(3));
  z.fixedColumn = optionalNumber(parts.at(4));
  z.grainPx = optionalNumber(j.at("grain").at(0));
  z.chromaGrainPx = optionalNumber(j.at("grain").at(1));
  z.hue = j.at("hue");
  z.still = j.at("still");
  const int doubt = Whole(j.at("doubt"));
  if (doubt < 0 || doubt > static_cast<int>(ZoneDoubt::Quantised))
    throw json::other_error::create(501, "no such doubt", &j);
  z.doubt = static_cast<ZoneDoubt>(doubt);
  z.sigma = j.at("sigma");
  z.signalSigma = j.at("signal_sigma");
  return z;
}

}  // namespace

json toJson(const SweepMeasure& m) {
  json j = {{"patch", m.patch}, {"lossy_codec", m.lossyCodec}, {"points", json::array()}};
  for (const auto& p : m.points)
    j["points"].push_back({p.take, p.iso, p.level, p.levelSigma, p.variance, p.relativeSigma, p.quantised,
                           p.removed, p.clamped, p.filtered, p.lnInflation, p.lnInflationSigma, p.repeated,
                           p.frames, missingJson(p.missing), number(p.beside), p.besideSigma});
  return j;
}

SweepMeasure sweepFromJson(const json& j) {
  SweepMeasure m{j.at("patch"), {}, j.at("lossy_codec")};
  for (const auto& p : j.at("points"))
    m.points.push_back({p.at(0), p.at(1), p.at(2), p.at(3), p.at(4), p.at(5), p.at(6), p.at(7), p.at(8),
                        p.at(9), p.at(10), p.at(11), Whole(p.at(12)), Whole(p.at(13)),
                        missingFrom(p.at(14)), optionalNumber(p.at(15)), p.at(16)});
  return m;
}

json toJson(const LadderMeasure& m) {
  json takes = json::array();
  for (const auto& t : m.takes) {
    json zones = json::array();
    for (const auto& z : t.zones) zones.push_back(zoneJson(z));
    takes.push_back({{"name", t.name},
                     {"iso", t.iso},
                     {"stops", t.stops},
                     {"brightness", t.brightness},
                     {"native", t.native},
                     {"zones", zones},
                     {"below_grey", {limitJson(t.floorBelowGrey[0]), limitJson(t.floorBelowGrey[1])}},
                     {"below_clip", {limitJson(t.floorBelowClip[0]), limitJson(t.floorBelowClip[1])}},
                     {"frames", t.frames},
                     {"lossy_codec", t.lossyCodec},
                     {"toe", t.toeSlope}});
  }
  return {{"punch_base", {m.punchBase.width, m.punchBase.height}},
          {"raster", {m.rasterWidth, m.rasterHeight}},
          {"chroma", wordOf(m.chroma)},
          {"display", m.display},
          {"takes", takes},
          {"warnings", toJson(m.warnings)}};
}

LadderMeasure ladderFromJson(const json& j) {
  LadderMeasure m;
  m.rasterWidth = Whole(j.at("raster").at(0));
  m.rasterHeight = Whole(j.at("raster").at(1));
  m.chroma = parseChroma(j.at("chroma").get<std::string>()).value_or(Chroma::Full444);
  m.punchBase = {Whole(j.at("punch_base").at(0)), Whole(j.at("punch_base").at(1))};
  m.display = j.at("display");
  m.warnings = warningsFrom(j.at("warnings"));
  for (const auto& t : j.at("takes")) {
    ZonesOfTake z;
    z.name = t.at("name");
    z.iso = t.at("iso");
    z.stops = t.at("stops");
    z.brightness = t.at("brightness");
    z.native = t.at("native");
    for (const auto& zone : t.at("zones")) z.zones.push_back(zoneFrom(zone));
    if (z.zones.size() != kZones) throw json::other_error::create(501, "not three zones", &t);
    for (size_t i = 0; i < 2; ++i) {
      z.floorBelowGrey[i] = limitFrom(t.at("below_grey").at(i));
      z.floorBelowClip[i] = limitFrom(t.at("below_clip").at(i));
    }
    z.frames = Whole(t.at("frames"));
    z.lossyCodec = t.at("lossy_codec");
    z.toeSlope = t.at("toe");
    m.takes.push_back(std::move(z));
  }
  return m;
}

json toJson(const InfraredMeasure& m) {
  json takes = json::array();
  for (const auto& t : m.takes)
    takes.push_back({t.name, t.nd, t.a, t.b, t.sigma, t.whiteA, t.whiteB, t.brightness, t.whiteClips,
                     missingJson(t.missing)});
  return {{"black", m.black}, {"white", m.white}, {"display", m.display}, {"takes", takes}};
}

InfraredMeasure infraredFromJson(const json& j) {
  InfraredMeasure m{j.at("black"), j.at("white"), j.at("display"), {}};
  for (const auto& t : j.at("takes"))
    m.takes.push_back({t.at(0), t.at(1), t.at(2), t.at(3), t.at(4), t.at(5), t.at(6), t.at(7), t.at(8),
                       missingFrom(t.at(9))});
  return m;
}

json toJson(const RowTraces& t) {
  json j = {{"fps", t.fps}, {"rows", t.rows}, {"rows_per_sample", t.rowsPerSample}, {"frames", t.frames}};
  store(j, t.missing);
  return j;
}

RowTraces tracesFromJson(const json& j) {
  return {j.at("fps"), Whole(j.at("rows")), j.at("rows_per_sample"),
          j.at("frames").get<std::vector<std::vector<double>>>(), missingFrom(j)};
}

json toJson(const Readout& r) {
  return {{"rows", {number(r.rowsPerPeriod), r.periodSigma}},
          {"ms", {number(r.milliseconds), r.millisecondsSigma}},
          {"direction", r.direction ? json(*r.direction == ReadoutDirection::TopToBottom) : json()},
          {"contrast", r.contrast},
          {"phases", r.phases},
          {"warnings", toJson(r.warnings)}};
}

Readout readoutFromJson(const json& j) {
  Readout r;
  r.rowsPerPeriod = optionalNumber(j.at("rows").at(0));
  r.periodSigma = j.at("rows").at(1);
  r.milliseconds = optionalNumber(j.at("ms").at(0));
  r.millisecondsSigma = j.at("ms").at(1);
  if (const json& down = j.at("direction"); down.is_boolean())
    r.direction = down.get<bool>() ? ReadoutDirection::TopToBottom : ReadoutDirection::BottomToTop;
  r.contrast = j.at("contrast");
  r.phases = j.at("phases").get<std::vector<double>>();
  r.warnings = warningsFrom(j.at("warnings"));
  return r;
}

json toJson(const TransferSet& set) {
  json list = json::array();
  for (const auto& t : set) {
    json channels = json::array();
    for (size_t c = 0; c < 3; ++c) {
      json points = json::array();
      for (const auto& p : t.measure.points[c])
        points.push_back(
            {p.mean, p.variance, number(p.fixed), p.samples, p.frames, p.atTop, p.verticalLag, p.black});
      channels.push_back({{"black_level", t.measure.blackLevel[c]}, {"points", points}});
    }
    list.push_back({{"iso", t.iso}, {"channels", channels}});
  }
  return list;
}

TransferSet transferFromJson(const json& j) {
  TransferSet set;
  for (const auto& at : j) {
    IsoTransfer t;
    t.iso = at.at("iso");
    for (size_t c = 0; c < 3; ++c) {
      const json& channel = at.at("channels").at(c);
      t.measure.blackLevel[c] = channel.at("black_level");
      for (const auto& p : channel.at("points"))
        t.measure.points[c].push_back(
            {p.at(0), p.at(1), optionalNumber(p.at(2)), p.at(3), p.at(4), p.at(5), p.at(6), p.at(7)});
    }
    set.push_back(std::move(t));
  }
  return set;
}

}  // namespace edge
