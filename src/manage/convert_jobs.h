// From the core's routes, jobs and rollouts to the shapes of the API.
#pragma once

#include "api/jobs.h"
#include "desk/jobs.h"
#include "desk/rollouts.h"
#include "jobs/route.h"
#include "repository/reports.h"

namespace vantro::manage {

api::StateValue shape(const fleet::StateValue& value);
api::ReportRead shape(const repository::ReportRead& read, bool done);
api::RouteRule shape(const jobs::Rule& rule);
api::VersionRoute shape(const jobs::Route& route);
api::Readiness shape(const desk::Readiness& readiness);
// `whole`: with its lines.
api::Job shape(const desk::JobView& view, bool whole);
api::Sheet shape(const jobs::Sheet& sheet);
api::Rollout shape(const desk::RolloutView& view, bool done = true);

}  // namespace vantro::manage
