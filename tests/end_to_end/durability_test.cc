// The promises about what is kept: killed at any instant, stopped, started twice, with
// the disk full, with a damaged database.
#include <gmock/gmock.h>
#include <random>
#include <signal.h>

#include "crypto/digests.h"
#include "tests/end_to_end/server_fixture.h"

namespace vantro::end_to_end {
namespace {

class Durability : public ServerFixture {
 protected:
  // Output of a start that must not succeed.
  Output start_fails(Arguments arguments) {
    arguments.insert(arguments.begin(), vantrod_program());
    return run(arguments);
  }
};

TEST_F(Durability, KilledDuringUploadsItKeepsEveryAcknowledgedOne) {
  std::mt19937 random(7);
  std::size_t sent = 0;
  std::map<std::string, std::string> acknowledged;
  constexpr int kRounds = 6;
  constexpr std::size_t kImageSize = 4'000'000;
  for (int round = 0; round < kRounds; ++round) {
    struct Upload {
      std::string name, bytes;
      std::unique_ptr<Process> process;
    };
    std::vector<Upload> uploads;
    for (int i = 0; i < 12; ++i, ++sent) {
      Upload upload;
      upload.name = "cfg-" + std::to_string(sent);
      upload.bytes = fakes::noise(random() % 2'000'000, static_cast<unsigned>(sent));
      fakes::write_file(scratch_ / upload.name, upload.bytes);
      upload.process = std::make_unique<Process>(
          Arguments{"curl", "-s", "-m", "5", "--tftp-blksize", "8192", "-T",
                    scratch_ / upload.name,
                    i % 2 == 0 ? tftp_url(upload.name) : ftp_url("/" + upload.name)},
          Environment{}, "", "");
      uploads.push_back(std::move(upload));
    }
    // In one call: in pieces, the client would wait for the server to come back.
    fakes::write_file(scratch_ / "image",
                      fakes::noise(kImageSize, static_cast<unsigned>(round)));
    const auto image = "image-" + std::to_string(round);
    Process add({vantro_program(), "image", "add", scratch_ / "image", "--name", image},
                client_environment(), "", "");
    ::usleep(20'000 + random() % 120'000);
    server_->signal(SIGKILL);
    EXPECT_EQ(server_->wait(), 128 + SIGKILL);
    // What a client was told counts, not what it hoped for.
    for (auto& upload : uploads) {
      if (upload.process->wait() == 0) acknowledged[upload.name] = upload.bytes;
    }
    const bool image_acknowledged = add.wait() == 0;
    start();
    if (image_acknowledged) {
      EXPECT_EQ(vantro({"image", "info", image}).code, 0);
    }
  }
  EXPECT_FALSE(acknowledged.empty());
  for (const auto& [name, bytes] : acknowledged)
    EXPECT_TRUE(fakes::same_bytes(saved("127.0.0.1", name), bytes));
  // And nothing that is half poses as whole.
  const auto backups = vantro_json({"backup", "revisions"})["backups"];
  std::size_t partial = 0;
  for (const auto& backup : backups) {
    if (!backup["complete"].get<bool>()) {
      ++partial;
      continue;
    }
    const auto name = backup["name"].get<std::string>();
    EXPECT_TRUE(
        fakes::same_bytes(saved("127.0.0.1", name), fakes::read_file(scratch_ / name)));
  }
  EXPECT_TRUE(std::filesystem::is_empty(own_state() + "/arriving"));
  const auto images = vantro_json({"image", "list"})["images"];
  for (const auto& image : images) {
    EXPECT_EQ(image["image"]["size"], kImageSize);
  }
  // The digests that it had not computed when it was killed follow.
  for (const auto& backup : backups) {
    if (!backup["complete"].get<bool>()) continue;
    const auto name = backup["name"].get<std::string>();
    crypto::Digester digester;
    digester.update(base::as_bytes(fakes::read_file(scratch_ / name)));
    const auto right = digester.finish();
    EXPECT_TRUE(eventually([&] {
      const auto now = vantro_json({"backup", "info", "127.0.0.1", name})["digests"];
      return now["md5"] == right.md5 && now["sha1"] == right.sha1 &&
             now["sha512"] == right.sha512;
    })) << name;
  }
  RecordProperty("acknowledged", static_cast<int>(acknowledged.size()));
  RecordProperty("partial", static_cast<int>(partial));
}

TEST_F(Durability, ASecondServerOnTheSameStateDoesNotStart) {
  const auto second =
      start_fails({"--state", state(), "--tftp-listen", "127.0.0.1:0",
                   "--management-listen", "127.0.0.1:0", "--management-socket", "none"});
  EXPECT_EQ(second.code, 1);
  const auto first =
      database_.where().empty()
          ? "another vantrod (process " + std::to_string(server_->pid()) +
                ") works on this state; stop it"
          : "nodes with a PostgreSQL database work on this state; stop them";
  EXPECT_EQ(second.err, "vantrod: " + state() + ": " + first +
                            " first, or give this one its own --state\n");
}

TEST_F(Durability, APortInUseIsNamedWithItsHolder) {
  const auto tftp = "127.0.0.1:" + std::to_string(tftp_port_);
  const auto second =
      start_fails({"--state", scratch_ / "other", "--tftp-listen", tftp,
                   "--management-listen", "127.0.0.1:0", "--management-socket", "none"});
  EXPECT_EQ(second.code, 1);
  EXPECT_THAT(second.err, testing::StartsWith(
                              "vantrod: TFTP can't listen on " + tftp +
                              ": 'vantrod' (process " + std::to_string(server_->pid()) +
                              ") holds the port; stop it, or choose another "
                              "port with --tftp-listen 127.0.0.1:"));
  const auto management = "127.0.0.1:" + std::to_string(management_port_);
  // Devices are served all the same; log, status and exit say what is missing.
  const auto here = scratch_ / "other.sock";
  Process third({vantrod_program(), "--state", scratch_ / "other", "--tftp-listen",
                 "127.0.0.1:0", "--ftp-listen", "none", "--http-listen", "none",
                 "--management-listen", management, "--management-socket", here},
                {}, scratch_ / "third.out", scratch_ / "third.err");
  ASSERT_TRUE(
      eventually([&] { return file("third.out").find("Ready.") != std::string::npos; }));
  const auto sentence = "Management can't listen on " + management +
                        ": 'vantrod' (process " + std::to_string(server_->pid()) + ")";
  EXPECT_THAT(file("third.err"), testing::HasSubstr(sentence));
  EXPECT_THAT(run({vantro_program(), "--url", here, "status"}).out,
              testing::HasSubstr("TROUBLE     " + sentence));
  third.signal(SIGTERM);
  EXPECT_EQ(third.wait(), 3);
  EXPECT_THAT(file("third.err"), testing::HasSubstr("vantrod: stopped; " + sentence));
  const auto strange =
      start_fails({"--state", scratch_ / "other", "--tftp-listen", "192.0.2.77:0",
                   "--management-listen", "127.0.0.1:0", "--management-socket", "none"});
  EXPECT_THAT(strange.err,
              testing::StartsWith("vantrod: TFTP can't listen on 192.0.2.77:0: this "
                                  "machine does not have that address; it has "));
}

TEST_F(Durability, ADamagedDatabaseStopsTheStartAndCanBeRebuilt) {
  if (!database_.where().empty()) GTEST_SKIP() << "it is about the file";
  take_in("x.img", "bytes");
  stop();
  for (const auto* part : {"-wal", "-shm"}) {
    std::filesystem::remove(state() + "/vantro.db" + part);
  }
  fakes::write_file(state() + "/vantro.db", std::string(8192, 'z'));
  const Arguments arguments{
      "--state",    state(), "--tftp-listen", "127.0.0.1:0", "--management-listen",
      "127.0.0.1:0"};
  const auto refused = start_fails(arguments);
  EXPECT_EQ(refused.code, 1);
  EXPECT_THAT(refused.err,
              testing::HasSubstr("the database is damaged; the files in vault/ are "
                                 "untouched"));
  start({"--recover-database"});
  EXPECT_EQ(vantro_json({"image", "list"})["images"][0]["image"]["on_offer"], false);
  take_in("x.img", "bytes");
  EXPECT_EQ(run({"curl", "-sS", "-m", "60", tftp_url("x.img")}).out, "bytes");
}

TEST_F(Durability, WrongSettingsDoNotStart) {
  fakes::write_file(scratch_ / "vantro.toml", "[tftp]\nlisten_on = \"127.0.0.1\"\n");
  const auto refused = start_fails({"--config", scratch_ / "vantro.toml"});
  EXPECT_EQ(refused.code, 2);
  EXPECT_EQ(refused.err,
            "vantrod: " + (scratch_ / "vantro.toml") +
                ":2: tftp.listen_on is not a setting; nearest: tftp.listen\n");
  EXPECT_EQ(start_fails({"--log-form", "xml"}).code, 2);
  EXPECT_EQ(start_fails({"--check"}).out, "The settings are sound.\n");
}

// The state on a file system of 12 MiB that exists for this server alone.
class FullDisk : public ServerFixture {
 protected:
  explicit FullDisk(std::string reserve = "none") : reserve_(std::move(reserve)) {}
  void SetUp() override {
    std::filesystem::create_directories(state());
    const std::string script =
        "mount -t tmpfs -o size=12m,mode=700 tmpfs \"$1\" && shift && exec \"$@\"";
    Arguments before{"unshare", "--mount"};
    if (::geteuid() != 0) before = {"unshare", "--mount", "--map-root-user"};
    before.insert(before.end(), {"sh", "-c", script, "sh", state()});
    fakes::write_file(scratch_ / "vantro.toml",
                      "[backups]\nreserve = \"" + reserve_ + "\"\n");
    start({"--config", scratch_ / "vantro.toml"}, before);
  }
  // The file system is the server's own, so the tests can't put a token there.
  Output client(Arguments arguments) const {
    arguments.insert(arguments.begin(), vantro_program());
    return run(arguments, {{"VANTRO_URL", socket()}});
  }

 private:
  const std::string reserve_;
};

TEST_F(FullDisk, IsRefusedInOneSentenceAndLosesNothing) {
  fakes::write_file(scratch_ / "small.img", fakes::noise(4'000'000));
  fakes::write_file(scratch_ / "large.img", fakes::noise(20'000'000));
  EXPECT_EQ(client({"image", "add", scratch_ / "small.img"}).code, 0);

  const auto announced = client({"image", "add", scratch_ / "large.img"});
  EXPECT_EQ(announced.code, 1);
  EXPECT_THAT(announced.err,
              testing::StartsWith("vantro: no space on the server's disk: 19.1 MiB "
                                  "needed, "));
  // A device that does not announce its size fills the disk before it is told.
  const auto sent = run({"curl", "-sS", "-m", "50", "--tftp-no-options", "-T",
                         scratch_ / "large.img", tftp_url("large.cfg")});
  EXPECT_NE(sent.code, 0);
  // And does not keep it full.
  fakes::write_file(scratch_ / "second.img", fakes::noise(5'000'000, 2));
  EXPECT_EQ(client({"image", "add", scratch_ / "second.img"}).code, 0);
  const auto list = client({"backup", "revisions"});
  EXPECT_EQ(list.code, 0) << list.err;
  EXPECT_THAT(list.out, testing::Not(testing::HasSubstr("complete")));
  // What was there is served as before.
  const auto got =
      run({"curl", "-sS", "-m", "60", "-o", scratch_ / "got", tftp_url("small.img")});
  EXPECT_EQ(got.code, 0) << got.err;
  EXPECT_TRUE(
      fakes::same_bytes(fakes::read_file(scratch_ / "got"), fakes::noise(4'000'000)));
}

class NearlyFullDisk : public FullDisk {
 protected:
  NearlyFullDisk() : FullDisk("8 MiB") {}
};

// Below the reserve images are refused, with words; configurations are taken to the last
// byte, and each that was acknowledged is there.
TEST_F(NearlyFullDisk, TakesConfigurationsUntilNothingIsLeft) {
  fakes::write_file(scratch_ / "running.img", fakes::noise(5'000'000));
  const auto put = [&](const std::string& file, const std::string& name) {
    return run({"curl", "-s", "-S", "-m", "60", "-w", "%{http_code}", "-T",
                scratch_ / file, http_url("/" + name)});
  };
  EXPECT_THAT(put("running.img", "first.img").out, testing::HasSubstr("is nearly full"));
  fakes::write_file(scratch_ / "x.cfg", std::string(600'000, 'x'));
  std::vector<std::string> filed;
  std::string refused;
  for (int i = 0; i < 30 && refused.empty(); ++i) {
    fakes::write_file(scratch_ / "x.cfg", std::string(600'000, 'x') + std::to_string(i));
    const auto name = "site-" + std::to_string(i) + ".cfg";
    const auto sent = put("x.cfg", name);
    if (sent.out.ends_with("201")) {
      filed.push_back(name);
    } else {
      refused = sent.out;
    }
  }
  EXPECT_GT(filed.size(), 10u);
  // Before it begins, or in the middle: that depends on the last few blocks.
  EXPECT_THAT(refused, testing::AnyOf(testing::HasSubstr("no space on the server's disk"),
                                      testing::HasSubstr("the server's disk is full")));
  for (const auto& name : filed) {
    const auto saved = client({"backup", "write", "127.0.0.1", name, "--out", "-"});
    EXPECT_EQ(saved.out.size(), 600'000 + name.size() - 9) << name << saved.err;
  }
}

// Its 226 names a checksum: it must be that of the bytes.
TEST_F(Durability, WhatWasNotReadForLongIsReadBeforeADeviceGetsIt) {
  const auto image = fakes::noise(3'000'000, 1);
  take_in("sound.img", image);
  take_in("damaged.img", fakes::noise(3'000'000, 2));
  const auto stored = age_and_damage("damaged.img");
  const auto fetch = [&](const std::string& url) {
    return run({"curl", "-sS", "-f", "-m", "60", "-o", scratch_ / "got", url});
  };
  for (const auto& scheme :
       {tftp_url("sound.img"), ftp_url("/sound.img"), http_url("/sound.img")}) {
    ASSERT_EQ(fetch(scheme).code, 0) << scheme;
    EXPECT_EQ(fakes::read_file(scratch_ / "got"), image) << scheme;
  }
  EXPECT_NE(fetch(ftp_url("/damaged.img")).code, 0);
  EXPECT_NE(fetch(http_url("/damaged.img")).code, 0);
  EXPECT_NE(fetch(tftp_url("damaged.img")).code, 0);
  const auto trouble = vantro_json({"status"})["trouble"];
  ASSERT_EQ(trouble.size(), 1u);
  EXPECT_THAT(trouble[0].get<std::string>(), testing::HasSubstr("damaged.img"));
  EXPECT_FALSE(std::filesystem::exists(stored));
}

}  // namespace
}  // namespace vantro::end_to_end
