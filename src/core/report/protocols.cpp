#include "report/protocols.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>

#include "base/json_numbers.h"

using nlohmann::json;

namespace edge {

Protocol protocolFromJson(const json& j) {
  Protocol p;
  p.version = Whole(j.at("version")), p.key = j.at("key");
  for (const auto& l : j.at("lines")) p.lines.push_back({l.at("question"), l.at("answer")});
  return p;
}

std::optional<Protocol> protocolOf(const Configuration& c) {
  const ClipRecord* base = c.clipOfKind(ClipKind::Base);
  if (!base || !base->link.is_object() || !base->link.contains("protocol")) return std::nullopt;
  try {
    return protocolFromJson(base->link["protocol"]);
  } catch (const json::exception&) {
    return std::nullopt;  // a damaged note costs the comparison's mark, not the figure
  }
}

void markProtocols(std::vector<Finding>& findings) {
  std::map<std::string, int> by;
  std::vector<std::optional<Protocol>> protocols;
  for (auto& f : findings) {
    if (f.latitude)
      std::erase_if(f.latitude->warnings, [](const Warning& w) { return w.code == kOtherProtocol; });
    protocols.push_back(protocolOf(f.configuration));
    if (protocols.back() && f.latitude) ++by[protocols.back()->key];
  }
  if (by.size() < 2) return;
  const std::string most = std::max_element(by.begin(), by.end(), [](const auto& a, const auto& b) {
                             return a.second < b.second;
                           })->first;
  const auto usual =
      std::find_if(protocols.begin(), protocols.end(), [&](const auto& p) { return p && p->key == most; });
  for (size_t i = 0; i < findings.size(); ++i) {
    if (!findings[i].latitude || !protocols[i] || protocols[i]->key == most) continue;
    const auto where = protocolDifferences(*protocols[i], **usual);
    findings[i].latitude->warnings.push_back(
        {kOtherProtocol,
         fmt::format("shot by another protocol than most here, not to be compared with them: {}",
                     fmt::join(where, "; ")),
         ""});
  }
}

}  // namespace edge
