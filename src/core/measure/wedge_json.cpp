// The measured statistics as JSON, for the project file: they are kept so that a changed threshold needs no
// clip.
#include <limits>
#include <nlohmann/json.hpp>

#include "base/json_numbers.h"
#include "measure/wedge.h"

using nlohmann::json;

namespace edge {
namespace {

double read(const json& j) {
  return j.is_number() ? j.get<double>() : std::numeric_limits<double>::quiet_NaN();
}

json toJson(const ChannelMeasure& c) {
  return {{"mean", number(c.mean)},
          {"code", number(c.code)},
          {"variance", number(c.variance)},
          {"quantisation_variance", number(c.quantisationVariance)},
          {"quantisation", static_cast<int>(c.quantisation)},
          {"mean_rounding", number(c.meanRounding)},
          {"skewness", number(c.skewness)},
          {"row", number(c.rowVariance)},
          {"column", number(c.columnVariance)},
          {"flicker", number(c.flickerVariance)},
          {"fixed", number(c.fixedVariance)},
          {"fixed_row", number(c.fixedRowVariance)},
          {"fixed_column", number(c.fixedColumnVariance)},
          {"samples", c.samples},
          {"frame_sd", number(c.frameSd)},
          {"step", {c.step, c.secondOrder}},
          {"shape", {c.kurtosis, c.kurtosisSigma, c.verticalLag, c.horizontalLag, c.defects}},
          {"top", {number(c.topCode), c.topShare}}};
}

ChannelMeasure channelFromJson(const json& j) {
  ChannelMeasure c;
  c.mean = read(j.at("mean")), c.code = read(j.at("code"));
  c.variance = read(j.at("variance")), c.quantisationVariance = read(j.at("quantisation_variance"));
  const int quantisation = Whole(j.at("quantisation"));
  if (quantisation < 0 || quantisation > static_cast<int>(Quantisation::Limited))
    throw json::other_error::create(501, "no such quantisation", &j);
  c.quantisation = static_cast<Quantisation>(quantisation);
  c.meanRounding = read(j.at("mean_rounding"));
  c.skewness = read(j.at("skewness"));
  c.rowVariance = read(j.at("row")), c.columnVariance = read(j.at("column")),
  c.flickerVariance = read(j.at("flicker"));
  c.fixedVariance = optionalNumber(j.at("fixed")), c.fixedRowVariance = optionalNumber(j.at("fixed_row"));
  c.fixedColumnVariance = optionalNumber(j.at("fixed_column"));
  c.samples = read(j.at("samples")), c.frameSd = read(j.at("frame_sd"));
  c.step = j.at("step").at(0), c.secondOrder = j.at("step").at(1);
  const json &shape = j.at("shape"), &top = j.at("top");
  c.kurtosis = shape.at(0), c.kurtosisSigma = shape.at(1);
  c.verticalLag = shape.at(2), c.horizontalLag = shape.at(3), c.defects = shape.at(4);
  c.topCode = read(top.at(0)), c.topShare = top.at(1);
  return c;
}

}  // namespace

json toJson(const WedgeMeasure& m) {
  json j = {{"frames", m.frames},
            {"repeated", {m.repeatedFrames, m.nearRepeats, m.repeatedFields}},
            {"codec", {m.lossyCodec, m.predictsFrames}},
            {"top_code", m.topCode},
            {"other_range_fits", m.otherRangeFits},
            {"interlaced", m.interlaced},
            {"raster", {m.rasterWidth, m.rasterHeight}},
            {"developed", {m.developedWidth, m.developedHeight}},
            {"mosaic", m.mosaic},
            {"subsampled", m.subsampled},
            {"curve", m.curve},
            {"range", m.range},
            {"matrix", m.matrix},
            {"levels", m.levels},
            {"grey", number(m.grey)},
            {"patches", json::array()},
            {"filtering", json::array()}};
  for (const auto& p : m.patches) {
    json patch = {{"name", p.name},
                  {"stops", p.stops},
                  {"stops_sigma", p.stopsSigma},
                  {"size", {p.width, p.height}},
                  {"coefficients", {p.coefficients.kurtosis, p.coefficients.absolute, p.coefficients.sigma}},
                  {"chroma", {p.chromaVariance, p.chromaCb, p.chromaCr, p.codeSlope}}};
    for (const auto& c : p.channel) patch["channels"].push_back(toJson(c));
    j["patches"].push_back(patch);
  }
  for (const auto& f : m.filtering)
    j["filtering"].push_back({f.verticalLag, f.inflation, f.temporalRho, f.patches, f.samples,
                              f.horizontalLag, f.lowestLag, f.inflationSigma, f.settled, f.sameForAll,
                              f.temporalSigma, f.temporalFactor, f.temporalFactorSigma, f.temporalKnown,
                              f.edgeKurtosis, f.edgeKurtosisSigma, f.rounding});
  store(j, m.missing);
  return j;
}

WedgeMeasure wedgeFromJson(const json& j) {
  WedgeMeasure m;
  m.frames = Whole(j.at("frames")), m.missing = missingFrom(j);
  const json& repeated = j.at("repeated");
  m.repeatedFrames = Whole(repeated.at(0)), m.nearRepeats = Whole(repeated.at(1)),
  m.repeatedFields = repeated.at(2);
  m.lossyCodec = j.at("codec").at(0), m.predictsFrames = j.at("codec").at(1), m.topCode = j.at("top_code");
  m.otherRangeFits = j.at("other_range_fits"), m.interlaced = j.at("interlaced");
  m.rasterWidth = Whole(j.at("raster").at(0)), m.rasterHeight = Whole(j.at("raster").at(1));
  m.developedWidth = Whole(j.at("developed").at(0)), m.developedHeight = Whole(j.at("developed").at(1));
  m.mosaic = j.at("mosaic"), m.subsampled = j.at("subsampled");
  m.curve = j.at("curve"), m.range = j.at("range"), m.matrix = j.at("matrix"), m.levels = j.at("levels");
  m.grey = optionalNumber(j.at("grey"));
  for (const auto& p : j.at("patches")) {
    PatchMeasure patch;
    patch.name = p.at("name"), patch.stops = p.at("stops"), patch.stopsSigma = p.at("stops_sigma");
    patch.width = Whole(p.at("size").at(0)), patch.height = Whole(p.at("size").at(1));
    for (int c = 0; c < kMeasured; ++c) patch.channel[c] = channelFromJson(p.at("channels").at(c));
    const auto& moments = p.at("coefficients");
    patch.coefficients = {moments.at(0), moments.at(1), moments.at(2)};
    const auto& chroma = p.at("chroma");
    patch.chromaVariance = chroma.at(0), patch.chromaCb = chroma.at(1), patch.chromaCr = chroma.at(2);
    patch.codeSlope = chroma.at(3);
    m.patches.push_back(patch);
  }
  for (int c = 0; c < kMeasured; ++c) {
    const auto& f = j.at("filtering").at(c);
    m.filtering[c] = {f.at(0),  f.at(1),  f.at(2),  Whole(f.at(3)), f.at(4),  f.at(5),
                      f.at(6),  f.at(7),  f.at(8),  f.at(9),        f.at(10), f.at(11),
                      f.at(12), f.at(13), f.at(16), f.at(14),       f.at(15)};
  }
  return m;
}

}  // namespace edge
