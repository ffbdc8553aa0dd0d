#pragma once
/// All of the core.

#include <colvik/event.hpp>
#include <colvik/expectation.hpp>
#include <colvik/object.hpp>
#include <colvik/pose.hpp>
#include <colvik/reaction.hpp>
#include <colvik/result.hpp>
#include <colvik/rules.hpp>
#include <colvik/run.hpp>
#include <colvik/shape.hpp>
#include <colvik/tags.hpp>
#include <colvik/trace.hpp>
#include <colvik/vector.hpp>
#include <colvik/verdict.hpp>
#include <colvik/who.hpp>
#include <colvik/world.hpp>
