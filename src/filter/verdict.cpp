#include <colvik/verdict.hpp>

#include <fmt/format.h>
#include "math/fault.h"

namespace colvik {

std::string_view name_of(BodyKind kind) {
  switch (kind) {
    case BodyKind::fixed: return "static";
    case BodyKind::kinematic: return "kinematic";
    default: return "dynamic";
  }
}

std::string_view name_of(Phase phase) {
  switch (phase) {
    case Phase::begin: return "begin";
    case Phase::during: return "during";
    default: return "end";
  }
}

std::string_view name_of(Channel channel) { return channel == Channel::solid ? "solid" : "zone"; }

std::string_view name_of(EndCause cause) {
  switch (cause) {
    case EndCause::none: return "none";
    case EndCause::left: return "left";
    case EndCause::teleported: return "teleported";
    case EndCause::removed: return "removed";
    case EndCause::hidden: return "hidden";
    case EndCause::switched: return "switched";
    case EndCause::filtered: return "filtered";
    case EndCause::retagged: return "re-tagged";
    default: return "run over";
  }
}

Verdict decide(const Party& first, const Party& second) {
  const Channel channel = first.zone || second.zone ? Channel::zone : Channel::solid;
  const auto no = [&](DecidedBy by) { return Verdict{false, channel, by}; };
  if (first.object == second.object) return no(DecidedBy::same_object);
  const bool family = first.family != 0 && first.family == second.family;
  if (family && !first.meets_relatives && !second.meets_relatives) return no(DecidedBy::relatives);
  if (!first.active || !second.active) return no(DecidedBy::inactive);
  if (!first.on || !second.on) return no(DecidedBy::switched_off);
  if (first.body == BodyKind::fixed && second.body == BodyKind::fixed)
    return no(DecidedBy::both_static);
  if (!first.meets.matches(second.tags)) return no(DecidedBy::first_refuses);
  if (!second.meets.matches(first.tags) && !COLVIK_FAULT(9)) return no(DecidedBy::second_refuses);
  return {true, channel, DecidedBy::both_accept};
}

std::string explain(const Verdict& verdict, const Party& first, std::string_view first_name,
                    const Party& second, std::string_view second_name, const Tags& tags) {
  const auto refusal = [&](const Party& who, std::string_view who_name, const Party& whom,
                           std::string_view whom_name) {
    const std::string has = tags.list(whom.tags);
    return fmt::format("{} meets only '{}', and {} has {}", who_name, who.meets.text(), whom_name,
                       has.empty() ? "no tags" : "the tags " + has);
  };
  switch (verdict.by) {
    case DecidedBy::both_accept:
      return fmt::format("{} and {} accept each other ({})", first_name, second_name,
                         name_of(verdict.channel));
    case DecidedBy::same_object: return fmt::format("{} does not meet itself", first_name);
    case DecidedBy::relatives:
      return fmt::format("{} and {} belong to one family", first_name, second_name);
    case DecidedBy::excepted:
      return fmt::format("{} and {} are excepted from meeting", first_name, second_name);
    case DecidedBy::both_static:
      return fmt::format("{} and {} are both static", first_name, second_name);
    case DecidedBy::inactive:
      return fmt::format("{} is not active", first.active ? second_name : first_name);
    case DecidedBy::switched_off:
      return fmt::format("the collider of {} is switched off", first.on ? second_name : first_name);
    case DecidedBy::first_refuses: return refusal(first, first_name, second, second_name);
    default: return refusal(second, second_name, first, first_name);
  }
}

}  // namespace colvik
