#pragma once
// What is behind a World: its model, the stages of its running step, listeners, and changes that
// wait.
#include <colvik/world.hpp>

#include "change/objects.h"
#include "pairs/ccd.h"
#include "pairs/contact_stage.h"
#include "pairs/index.h"
#include "pairs/model.h"
#include "sleep/sleep.h"
#include "store/access.h"
#include "store/checks.h"
#include "store/objects.h"
#include "world/deferred.h"

namespace colvik {

template <int D>
struct World<D>::Impl : world::Model<D> {
  Impl(World& world, const WorldSettings<D>& settings) : owner(&world) {
    this->store.settings = settings;
  }

  World* owner;
  world::ContactStage<D> contacts;  // of the running step
  world::CcdStage<D> ccd;           // likewise
  std::vector<std::pair<std::size_t, Listener>> listeners;
  std::size_t next_token = 1;
  std::vector<world::DeferredChange> deferred;  // until the end of the step
  bool notifying = false;                       // listeners are being called
  bool finished = false;

  // Applies a change now, or at the end of the step when a listener requests it. False if the
  // handle is stale.
  template <class F>
  bool change(ObjectId id, F&& act) {
    if (world::find_state(this->store, id) == nullptr) return false;
    now_or_later([this, id, act = std::forward<F>(act)] {
      if (world::ObjectState<D>* o = world::find_state(this->store, id)) act(*o);
    });
    return true;
  }
  template <class F>
  void now_or_later(F act) {
    if (notifying) deferred.emplace_back(std::move(act));
    else act();
  }
  template <class F>
  bool change_number(NumberOwner owner, std::string_view name,
                     F&& to);  // F: from the old value to the new one
  bool push(ObjectId id, const Vec<D>& force, const Spin<D>& torque,
            const std::optional<Vec<D>>& point, bool at_once);
  void notify_listeners();
};

}  // namespace colvik
