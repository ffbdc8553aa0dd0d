#include "step/timed_pushes.h"

#include <algorithm>

#include "change/pushes.h"

namespace colvik::world {

template <int D>
void apply_timed_pushes(Model<D>& model) {
  Store<D>& store = model.store;
  const double now = static_cast<double>(store.steps) / store.settings.rate;
  const double then = static_cast<double>(store.steps + 1) / store.settings.rate;
  for (const std::uint32_t slot : store.pushed) {
    ObjectState<D>& o = store.objects[slot];
    if (!o.shown.active) continue;
    const auto try_push = [&](const Vec<D>& force, const Spin<D>& torque,
                              const std::optional<Vec<D>>& point, bool at_once) {
      if (may_push(store, o, force, torque, point))
        push_body(model, o, force, torque, point, at_once);
    };
    for (const TimedPush<D>& p : o.pushes) {
      const Rotation<D> turn = p.own_frame ? o.shown.pose.rotation : Rotation<D>();
      const auto turned = [&](const Spin<D>& s) -> Spin<D> {
        if constexpr (D == 2) return s;
        else return turn * s;
      };
      const std::optional<Vec<D>> point =
          p.point ? std::optional<Vec<D>>(o.shown.pose * *p.point) : std::nullopt;
      const double part = (std::min(p.until, then) - std::max(p.from, now)) * store.settings.rate;
      if (part > 0) try_push(turn * Vec<D>(p.force * part), turned(p.torque * part), point, false);
      if (p.from >= now && p.from < then && (!p.impulse.isZero(0) || !p.angular_impulse.isZero(0)))
        try_push(turn * p.impulse, turned(p.angular_impulse), point, true);
    }
  }
}

template void apply_timed_pushes(Model<2>& model);
template void apply_timed_pushes(Model<3>& model);

}  // namespace colvik::world
