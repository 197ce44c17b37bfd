#include "shoot/stand.h"

namespace edge {

const char* wordOf(TakeStand stand) {
  switch (stand) {
    case TakeStand::Open:
      return "";
    case TakeStand::Again:
      return "to be shot again";
    case TakeStand::Skipped:
      return "skipped on set";
    case TakeStand::Shot:
      return "shot";
    case TakeStand::Linked:
      return "in the project";
    case TakeStand::Lost:
      return "shot, but its clip is missing";
  }
  return "";
}

std::vector<TakeStand> standOf(const Plan& plan, const ShootLog& log, const std::set<std::string>& linked) {
  std::set<size_t> copied;  // series
  for (const auto& t : plan.takes)
    if (linked.count(t.slate)) copied.insert(t.series);
  std::vector<TakeStand> out;
  for (const auto& t : plan.takes) {
    const TakeLog& l = log.of(t.slate);
    if (l.state == TakeState::Open && l.attempt > 1)
      out.push_back(TakeStand::Again);
    else if (linked.count(t.slate))
      out.push_back(TakeStand::Linked);
    else if (l.state == TakeState::Skipped)
      out.push_back(TakeStand::Skipped);
    else if (l.state == TakeState::Open)
      out.push_back(TakeStand::Open);
    else
      out.push_back(copied.count(t.series) ? TakeStand::Lost : TakeStand::Shot);
  }
  return out;
}

}  // namespace edge
