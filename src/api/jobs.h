// The shapes of the state of devices, routes, readiness, jobs and rollouts (see
// shapes.h).
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "api/shapes.h"

namespace vantro::api {

struct StateValue {
  std::string member;
  std::string field;
  std::string item;
  std::string value;
  std::string at;
  std::string source;
};

struct NotUnderstood {
  std::int64_t line = 0;
  std::string text;
};

struct ReportGiven {
  std::string text;
  bool really = true;
};

struct ReportRead {
  std::string device;
  bool done = false;
  std::vector<StateValue> learnt;
  std::vector<std::string> doubts;
  std::vector<NotUnderstood> not_understood;
};

struct RouteRule {
  std::int64_t id = 0;
  std::string platform;
  std::string rule;
  std::string role;
  std::string from;
  std::string to;
  std::string needs;
  std::string source;
  std::string sentence;
};

struct RulesAsked {
  std::string platform;
};

struct RuleList {
  std::vector<RouteRule> rules;
};

struct RuleGiven {
  std::string platform;
  std::string rule;
  std::string role;
  std::string from;
  std::string to;
  std::string needs;
  std::string source;
};

struct RuleTable {
  std::string table;
  std::vector<RuleGiven> rules;
  bool really = true;
};

struct RulesImported {
  bool done = false;
  std::vector<std::string> platforms;
  std::vector<std::string> added;
  std::vector<std::string> removed;
  std::uint64_t unchanged = 0;
};

struct RulesRemoved {
  std::string platform;
  std::uint64_t rules = 0;
};

struct RouteAsked {
  std::string platform;
  std::string from;
  std::string to;
};

struct DeviceRouteAsked {
  std::string name;
  std::string image;
};

struct Companion {
  std::string role;
  std::string version;
  std::string image;
  std::string why;
};

struct RouteStep {
  std::string role;
  std::string version;
  std::string image;
  std::vector<Companion> before;
  std::vector<Companion> behind;
  std::vector<std::string> demanded_by;
};

struct VersionRoute {
  std::string result;
  std::string sentence;
  std::vector<RouteStep> steps;
  bool any_rules = false;
};

struct ReadinessAsked {
  std::string device;
  std::string image;
  std::string over;
  std::string account;
};

struct ReadinessCheck {
  std::string name;
  std::string verdict;
  std::string fact;
  std::string advice;
};

struct Readiness {
  std::string device;
  std::string aim;
  std::string verdict;
  std::string sentence;
  bool for_the_job = false;
  std::vector<ReadinessCheck> checks;
};

struct JobsAsked {
  std::string state;
  std::string rollout;
  std::string image;
};

struct JobImage {
  std::int64_t number = 0;
  std::string image;
  std::string role;
  std::string version;
  std::string why;
  std::string offered_as;
  std::string stage;
  std::string since;
  std::int64_t fetches = 0;
  bool passed = false;
};

struct JobLine {
  std::string at;
  std::string by;
  std::string sentence;
  bool bad = false;
};

struct Job {
  std::string device;
  std::string platform;
  std::string purpose;
  std::string aim;
  std::string from_version;
  std::vector<JobImage> images;
  std::string slot;
  std::string window_from;
  std::string window_until;
  std::string remark;
  std::string planned_by;
  std::string planned_at;
  std::string owner;
  std::string rollout;
  std::int64_t batch = 0;
  bool any_platform = false;
  std::string state;
  std::string stage;
  std::int64_t at_hand = 0;
  std::string waits_for;
  std::string since;
  std::string caution;
  bool path_proven = false;
  std::vector<JobLine> lines;
};

struct JobList {
  std::vector<Job> jobs;
  bool more = false;
};

struct DeviceNamed {
  std::string device;
};

struct JobWanted {
  std::string device;
  std::string image;
  std::string purpose;
  std::string slot;
  std::string window_from;
  std::string window_until;
  std::string remark;
  std::string offer_as;
  bool any_platform = false;
};

struct JobMarkWanted {
  std::string mark;
  std::string remark;
};

struct JobEnd {
  std::string device;
  std::string reason;
};

struct SheetAsked {
  std::string device;
  std::string form;
  std::string over;
  std::string account;
};

struct SheetValue {
  std::string name;
  std::string value;
  std::string note;
};

struct Sheet {
  std::vector<SheetValue> values;
  std::string text;
  std::string html;
};

struct RolloutWanted {
  std::string name;
  std::string devices;
  std::string image;
  std::string purpose;
  std::string slot;
  std::string window_from;
  std::string window_until;
  std::string remark;
  bool any_platform = false;
  std::int64_t batch = 10;
  std::int64_t stop_after = 1;
  bool really = true;
};

struct RolloutRow {
  std::string device;
  std::string site;
  std::int64_t batch = 0;
  std::string state;
  std::string stage;
  std::string waits_for;
  std::string since;
  std::string owner;
  std::string ended_why;
};

struct Rollout {
  std::string name;
  std::string aim;
  std::string state;
  std::string sentence;
  std::int64_t batch = 0;
  std::int64_t stop_after = 0;
  std::int64_t open_batch = 0;
  std::int64_t batches = 0;
  std::uint64_t open = 0;
  std::uint64_t confirmed = 0;
  std::uint64_t failed = 0;
  std::uint64_t withdrawn = 0;
  std::string remark;
  std::string planned_by;
  std::string planned_at;
  std::vector<RolloutRow> rows;
  std::vector<std::string> left_out;
  bool done = true;
};

struct RolloutList {
  std::vector<Rollout> rollouts;
};

struct DeviceReadiness {
  std::string device;
  std::int64_t batch = 0;
  std::string verdict;
  std::string sentence;
};

struct RolloutReadiness {
  std::string name;
  std::uint64_t ready = 0;
  std::uint64_t stopped = 0;
  std::vector<DeviceReadiness> devices;
};

struct RolloutRemark {
  std::string remark;
};

struct RolloutEnd {
  std::string name;
  std::string reason;
};

struct CanaryWay {
  std::string protocol;
  std::string server;
  std::int64_t port = 0;
  std::string text;
  bool needs_account = false;
};

struct CanaryWays {
  std::vector<CanaryWay> ways;
};

VANTRO_SHAPE(StateValue)
VANTRO_SHAPE(NotUnderstood)
VANTRO_SHAPE(ReportGiven)
VANTRO_SHAPE(ReportRead)
VANTRO_SHAPE(RouteRule)
VANTRO_SHAPE(RulesAsked)
VANTRO_SHAPE(RuleList)
VANTRO_SHAPE(RuleGiven)
VANTRO_SHAPE(RuleTable)
VANTRO_SHAPE(RulesImported)
VANTRO_SHAPE(RulesRemoved)
VANTRO_SHAPE(RouteAsked)
VANTRO_SHAPE(DeviceRouteAsked)
VANTRO_SHAPE(Companion)
VANTRO_SHAPE(RouteStep)
VANTRO_SHAPE(VersionRoute)
VANTRO_SHAPE(ReadinessAsked)
VANTRO_SHAPE(ReadinessCheck)
VANTRO_SHAPE(Readiness)
VANTRO_SHAPE(JobsAsked)
VANTRO_SHAPE(JobImage)
VANTRO_SHAPE(JobLine)
VANTRO_SHAPE(Job)
VANTRO_SHAPE(JobList)
VANTRO_SHAPE(DeviceNamed)
VANTRO_SHAPE(JobWanted)
VANTRO_SHAPE(JobMarkWanted)
VANTRO_SHAPE(JobEnd)
VANTRO_SHAPE(SheetAsked)
VANTRO_SHAPE(SheetValue)
VANTRO_SHAPE(Sheet)
VANTRO_SHAPE(RolloutWanted)
VANTRO_SHAPE(RolloutRow)
VANTRO_SHAPE(Rollout)
VANTRO_SHAPE(RolloutList)
VANTRO_SHAPE(DeviceReadiness)
VANTRO_SHAPE(RolloutReadiness)
VANTRO_SHAPE(RolloutRemark)
VANTRO_SHAPE(RolloutEnd)
VANTRO_SHAPE(CanaryWay)
VANTRO_SHAPE(CanaryWays)

}  // namespace vantro::api
