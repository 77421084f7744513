// A repository in a scratch folder with a gate over it, for tests above the store.
#pragma once

#include <gtest/gtest.h>
#include <memory>
#include <string>

#include "base/visible_name.h"
#include "desk/caller.h"
#include "desk/trouble.h"
#include "gate/gate.h"
#include "gate/intake.h"
#include "repository/repository.h"
#include "tests/fakes/scratch_folder.h"
#include "tests/fakes/sim_clock.h"
#include "tests/fakes/start_up.h"
#include "tests/fakes/test_database.h"

namespace vantro::fakes {

class RepositoryFixture : public testing::Test {
 protected:
  // The addresses of the texts are not private ones: here they are devices'.
  RepositoryFixture() {
    config_.rules.push_back(
        {*auth::Networks::parse("192.0.2.0/24 198.51.100.0/24 203.0.113.0/24 "
                                "2001:db8::/32"),
         {auth::Action::kFetch, auth::Action::kDeposit, auth::Action::kList},
         {},
         false});
  }
  void SetUp() override { open(); }

  void open() {
    auto opened = repository::Repository::open(state(), clock_, log_, rules_, opening());
    ASSERT_TRUE(opened) << opened.error().sentence;
    repository_ = std::move(*opened);
    gate_ = std::make_unique<gate::Gate>(*repository_, clock_, log_, config_);
  }
  repository::Opening opening() const { return {database_.where(), false}; }
  void close() {
    gate_.reset();
    repository_.reset();
  }
  // As the daemon does at its start.
  StartUp reopen() {
    close();
    open();
    auto report = start_up(*repository_, clock_.wall(), log_);
    EXPECT_TRUE(report) << report.error().sentence;
    return *report;
  }

  base::Outcome<gate::Taken> take_in(gate::IntakeOptions options,
                                     const std::string& bytes) {
    options.by = operator_.by();
    options.size = bytes.size();
    auto intake = gate_->open_intake(std::move(options));
    if (!intake) return base::refuse(intake.error());
    if (auto written = intake->write(base::as_bytes(bytes)); !written) {
      return base::refuse(written.error());
    }
    return intake->commit();
  }
  base::Outcome<catalog::Added> take_in(const std::string& name, const std::string& bytes,
                                        const std::string& expect = "",
                                        bool hold = false) {
    gate::IntakeOptions options;
    options.name = name;
    options.hold = hold;
    if (!expect.empty()) {
      options.claims.push_back({*crypto::Expected::parse(expect), "", ""});
    }
    auto taken = take_in(std::move(options), bytes);
    if (!taken) return base::refuse(taken.error());
    return std::move(taken->added);
  }

  gate::Asker device(const std::string& address) const {
    return {{*base::Address::parse(address), 5000}, "tftp", "192.0.2.10:69 on eth0"};
  }

  // As a protocol does it, with a place of its own.
  base::Outcome<gate::ReadGrant> open_read(const gate::Asker& asker,
                                           const std::string& name) {
    auto place = gate_->admit(asker, gate::Direction::kFetch, name);
    if (!place) return base::refuse(place.error());
    return gate_->open_read(asker, std::move(*place), name);
  }
  base::Outcome<gate::WriteGrant> open_write(const gate::Asker& asker,
                                             const std::string& name,
                                             std::optional<std::uint64_t> announced) {
    auto place = gate_->admit(asker, gate::Direction::kDeposit, name);
    if (!place) return base::refuse(place.error());
    return gate_->open_write(asker, std::move(*place), name, {announced, {}});
  }

  // The whole file under a name, or the refusal's words.
  std::string fetch(const std::string& name) {
    auto grant = open_read(device("192.0.2.7"), name);
    if (!grant) return "refused: " + base::in_full(grant.error());
    const auto bytes = grant->read(0, grant->size());
    if (!bytes) return "failed: " + bytes.error().sentence;
    grant->transfer().end(gate::State::kComplete, "");
    return std::string(base::as_text(*bytes));
  }

  base::Outcome<backup::Revision> deposit(const std::string& address,
                                          const std::string& name,
                                          const std::string& bytes) {
    auto grant = open_write(device(address), name, bytes.size());
    if (!grant) return base::refuse(grant.error());
    if (auto written = grant->write(base::as_bytes(bytes)); !written) {
      return base::refuse(written.error());
    }
    const auto filed = grant->commit();
    if (!filed) return base::refuse(filed.error());
    return find_backup(address, *base::visible_name(name), filed->revision);
  }

  base::Outcome<backup::Revision> find_backup(const std::string& address,
                                              const std::string& name,
                                              std::optional<std::int64_t> number) {
    return repository_->backups.find(
        repository_->inventory.holder_of(*base::Address::parse(address)), name, number);
  }

  std::vector<std::string> trouble() const { return *desk::trouble(*repository_); }

  std::string state() const { return folder_ / "state"; }
  std::string vault_path(const std::string& sha256) const {
    return state() + "/vault/" + sha256.substr(0, 2) + "/" + sha256;
  }

  ScratchFolder folder_;
  TestDatabase database_;
  SimClock clock_;
  base::Log log_;
  gate::Config config_;
  repository::Rules rules_;
  const desk::Caller operator_{"operator", {auth::Role::kAdminister, {}}};
  std::unique_ptr<repository::Repository> repository_;
  std::unique_ptr<gate::Gate> gate_;
};

}  // namespace vantro::fakes
