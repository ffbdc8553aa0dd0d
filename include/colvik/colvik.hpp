#pragma once
/// Everything. The core (world, rules, trace) is in the library colvik::core; scene files, reports
/// and pictures are in colvik::scene, colvik::explain, colvik::insight and colvik::picture, threads
/// in colvik::threads.

#include <colvik/attempt.hpp>
#include <colvik/chance.hpp>
#include <colvik/effect.hpp>
#include <colvik/event.hpp>
#include <colvik/expectation.hpp>
#include <colvik/lines.hpp>
#include <colvik/object.hpp>
#include <colvik/pose.hpp>
#include <colvik/query.hpp>
#include <colvik/reaction.hpp>
#include <colvik/result.hpp>
#include <colvik/rules.hpp>
#include <colvik/run.hpp>
#include <colvik/shape.hpp>
#include <colvik/tags.hpp>
#include <colvik/trace.hpp>
#include <colvik/vector.hpp>
#include <colvik/verdict.hpp>
#include <colvik/walker.hpp>
#include <colvik/watch.hpp>
#include <colvik/who.hpp>
#include <colvik/workers.hpp>
#include <colvik/world.hpp>

// The other components, where they are installed.
#if __has_include(<colvik/threads.hpp>)
#include <colvik/threads.hpp>
#endif
#if __has_include(<colvik/scene.hpp>)
#include <colvik/scene.hpp>
#endif
#if __has_include(<colvik/explain.hpp>)
#include <colvik/explain.hpp>
#endif
#if __has_include(<colvik/insight.hpp>)
#include <colvik/insight.hpp>
#endif
#if __has_include(<colvik/picture.hpp>)
#include <colvik/picture.hpp>
#endif
