// Backups as their users meet them: devices send by HTTP and TFTP, people look with
// vantro.
#include <gmock/gmock.h>

#include "tests/end_to_end/server_fixture.h"

namespace vantro::end_to_end {
namespace {

using testing::EndsWith;
using testing::HasSubstr;
using testing::Not;
using testing::StartsWith;

class BackupCommands : public ServerFixture {
 protected:
  void SetUp() override {
    fakes::write_file(scratch_ / "vantro.toml",
                      "[[backups.leave_out]]\nplatform = \"sluice\"\n"
                      "pattern = '^! saved .*$'\n");
    start({"--config", scratch_ / "vantro.toml"});
  }
  void put(const std::string& name, const std::string& bytes,
           const std::string& from = "127.0.0.1") {
    fakes::write_file(scratch_ / "sent", bytes);
    const auto sent =
        run({"curl", "-sS", "-m", "60", "--interface", from, "-w", "%{http_code}", "-T",
             scratch_ / "sent", http_url("/" + name)});
    ASSERT_THAT(sent.out, EndsWith("201")) << sent.err;
  }
  std::string out(const Arguments& arguments, int code = 0) {
    const auto output = vantro(arguments);
    EXPECT_EQ(output.code, code) << output.err;
    return output.out + output.err;
  }

  const std::string before_ =
      "! saved 10:00\nhost tidegate\nport one\n  mtu 1500\n  up\nwatching\n  community "
      "reeds\n";
  const std::string after_ =
      "! saved 11:00\nhost tidegate\nport one\n  mtu 9000\n  up\nwatching\n  community "
      "rushes\n";
};

TEST_F(BackupCommands, ShowWhatChangedAndKeepTheSecrets) {
  put("site.cfg", before_);
  EXPECT_THAT(out({"device", "add", "tidegate", "--addresses", "127.0.0.1", "--platform",
                   "Sluice"}),
              HasSubstr("vantro device assign tidegate 127.0.0.1"));
  EXPECT_EQ(out({"device", "assign", "tidegate", "127.0.0.1"}),
            "127.0.0.1 is tidegate's, and so is what came from it:\n"
            "  site.cfg: 1 revision\n  1 row of the ledger\n");
  put("site.cfg", after_);
  put("site.cfg", "! saved 12:00" + after_.substr(13));
  EXPECT_THAT(out({"backup", "compare", "tidegate"}),
              HasSubstr("the same in substance; 2 lines do not count\n"));
  const auto compared = out({"backup", "compare", "tidegate", "site.cfg", "1", "2"});
  EXPECT_THAT(compared, HasSubstr("2 lines added, 2 lines removed"));
  EXPECT_THAT(compared, HasSubstr("\nin port one\n"));
  EXPECT_THAT(compared, HasSubstr("4    -   mtu 1500\n  4  +   mtu 9000\n"));
  EXPECT_THAT(compared, Not(HasSubstr("rushes")));
  EXPECT_THAT(compared, HasSubstr("+   community <masked:"));
  fakes::write_file(scratch_ / "mine.cfg", before_);
  EXPECT_THAT(out({"backup", "compare", "tidegate", "site.cfg", "1", "--with",
                   scratch_ / "mine.cfg"}),
              HasSubstr("the same in substance; 2 lines do not count; secrets were not "
                        "compared (--with-secrets compares them)\n"));
  EXPECT_EQ(out({"backup", "compare", "tidegate", "site.cfg", "1", "--with-device",
                 "127.0.0.7"},
                5),
            "vantro: nothing was ever received from '127.0.0.7'; 'vantro backup list' "
            "shows all files\n");
  // Nothing gives a secret away but the token that may, and only when asked.
  EXPECT_THAT(out({"backup", "write", "tidegate", "site.cfg", "--out", "-"}, 1),
              HasSubstr("'site.cfg' has 1 secret; ask for it with them "
                        "('--with-secrets'"));
  EXPECT_THAT(
      out({"backup", "compare", "tidegate", "site.cfg", "1", "2", "--with-secrets"}, 1),
      HasSubstr("'operator' may not see secrets; an administrator can give the right"));
  EXPECT_THAT(out({"--json", "backup", "report", "--from", "1h"}),
              Not(HasSubstr("rushes")));
  EXPECT_THAT(out({"backup", "write", "tidegate", "site.cfg", "--masked", "--out", "-"}),
              HasSubstr("community <masked:"));
  auto environment = client_environment();
  for (auto& [name, value] : environment) {
    if (name == "VANTRO_TOKEN") value = kSecretsToken;
  }
  const auto saved = run({vantro_program(), "backup", "save", "tidegate", "site.cfg",
                          "--revision", "2", "--with-secrets", "--to", "-"},
                         environment);
  EXPECT_EQ(saved.out, after_) << saved.err;
}

// In an encoding of their own, as many devices write; and what is not text at all.
TEST_F(BackupCommands, TakeFilesInAnyEncoding) {
  put("site.cfg", "host Z\xfcrich\n mtu 1500\n");
  fakes::write_file(scratch_ / "mine.cfg", "host Z\xfcrich\n mtu 9000\n");
  const auto compared = out(
      {"backup", "compare", "127.0.0.1", "site.cfg", "--with", scratch_ / "mine.cfg"});
  EXPECT_THAT(compared, HasSubstr("1 line added, 1 line removed"));
  fakes::write_file(scratch_ / "binary", std::string("a\0b\x8b", 4));
  EXPECT_THAT(
      out({"backup", "compare", "127.0.0.1", "site.cfg", "--with", scratch_ / "binary"},
          2),
      HasSubstr("is not a text"));
  EXPECT_EQ(out({"device", "import", scratch_ / "binary"}, 2),
            "vantro: the input is not UTF-8 text; save it in that encoding first\n");
}

// What is too large to be searched for secrets is treated as if it held some.
TEST_F(BackupCommands, GiveOutNoLargeTextUnsearched) {
  put("large.txt", std::string(17 << 20, 'x') + "\npassword reeds\n");
  EXPECT_THAT(out({"backup", "write", "127.0.0.1", "large.txt", "--out", "-"}, 1),
              HasSubstr("can't be searched for secrets"));
}

TEST_F(BackupCommands, TellWhatIsOverdue) {
  EXPECT_THAT(out({"backup", "overdue"}), HasSubstr("No backups are expected"));
  out({"device", "add", "tidegate", "--addresses", "127.0.0.1", "--site", "East"});
  out({"device", "add", "heron", "--backup-every", "never", "--site", "east"});
  EXPECT_THAT(out({"device", "list", "--site", "east", "--name", "her"}),
              testing::AllOf(HasSubstr("heron"), Not(HasSubstr("tidegate"))));
  EXPECT_EQ(out({"device", "list", "--platform", "none"}),
            "No such devices; 'vantro device list' shows all.\n");
  out({"site", "change", "east", "--backup-every", "daily"});
  put("site.cfg", before_);
  EXPECT_EQ(out({"backup", "overdue"}), "No backup is overdue; 1 expected\n");
  stop();
  // Days pass.
  change_database("update backup_files set seen_at = seen_at - 3 * 86400000");
  start({"--config", scratch_ / "vantro.toml"});
  const auto late = out({"backup", "overdue"}, 8);
  EXPECT_THAT(late, HasSubstr("tidegate  East  expected daily; the last 3 days ago"));
  EXPECT_THAT(out({"backup", "list"}), HasSubstr("overdue: expected daily"));
  EXPECT_THAT(out({"device", "change", "tidegate", "--backup-every", "often"}, 2),
              HasSubstr("'often' is not an interval"));
}

TEST_F(BackupCommands, PutOneRevisionOnOfferToOneDevice) {
  put("site.cfg", "old\n");
  put("site.cfg", "new\n");
  EXPECT_THAT(out({"backup", "offer", "add", "127.0.0.1", "site.cfg", "--revision", "1",
                   "--name", "restore.cfg", "--device", "127.0.0.5", "--until", "1h"}),
              StartsWith("restore.cfg: revision 1 of site.cfg from 127.0.0.1, 4 bytes\n"
                         "  on offer to 127.0.0.5 until "));
  const auto fetched = [&](const std::string& from) {
    return run({"curl", "-s", "-m", "60", "--interface", from, http_url("/restore.cfg")})
        .out;
  };
  EXPECT_EQ(fetched("127.0.0.5"), "old\n");
  EXPECT_THAT(fetched("127.0.0.1"), HasSubstr("is not on offer"));
  EXPECT_THAT(
      run({"curl", "-s", "-m", "60", "--interface", "127.0.0.5", http_url("/")}).out,
      HasSubstr("restore.cfg"));
  EXPECT_EQ(out({"backup", "offer", "end", "restore.cfg"}),
            "restore.cfg: no longer on offer\n");
  EXPECT_THAT(fetched("127.0.0.5"), HasSubstr("is not on offer"));
}

// "no" in quotes must not count as yes, nor "yes" as no.
TEST_F(BackupCommands, TakeOnlyTrueAndFalseFromPrograms) {
  put("site.cfg", "old\n");
  const auto post = [&](const std::string& path, const std::string& body) {
    return run({"curl", "-s", "-m", "60", "-H", "Authorization: Bearer " + token(), "-d",
                body, url() + path})
        .out;
  };
  EXPECT_THAT(post("/v1/backups/127.0.0.1/site.cfg/pin", R"({"pinned": "no"})"),
              HasSubstr("'pinned' must be true or false"));
  EXPECT_EQ(vantro_json({"backup", "revisions", "127.0.0.1"})["backups"][0]["pinned"],
            false);
  EXPECT_THAT(post("/v1/backup-thinning", R"({"really": "yes"})"),
              HasSubstr("'really' must be true or false"));
  EXPECT_THAT(post("/v1/device-import", R"({"table": "", "really": 1})"),
              HasSubstr("'really' must be true or false"));
}

TEST_F(BackupCommands, WriteAReportThatCanBeSentOn) {
  put("site.cfg", before_);
  put("site.cfg", after_);
  put("<b>&.cfg", "x\n");
  EXPECT_THAT(out({"backup", "report", "--html", "--out", scratch_ / "report.html"}),
              HasSubstr("report.html: 1 file changed from "));
  const auto page = file("report.html");
  EXPECT_THAT(page, StartsWith("<!doctype html>"));
  EXPECT_THAT(page, HasSubstr("<h2>site.cfg from 127.0.0.1</h2>"));
  EXPECT_THAT(page, HasSubstr("&lt;b&gt;&amp;.cfg from"));
  EXPECT_THAT(page, HasSubstr("<tr class=\"new\">"));
  EXPECT_THAT(page, Not(HasSubstr("rushes")));
  EXPECT_THAT(out({"backup", "report", "--html", "--out", scratch_ / "report.html"}, 7),
              HasSubstr("File exists"));
  EXPECT_THAT(out({"backup", "report", "--from", "soon"}, 2),
              HasSubstr("'soon' is not a time"));
  EXPECT_THAT(out({"backup", "report", "--from", "1h", "--until", "2h"}, 2),
              HasSubstr("the report must begin before it ends"));
}

TEST_F(BackupCommands, NameTheDeviceWhereItsTransfersAreShown) {
  out({"device", "add", "tidegate", "--addresses", "127.0.0.1"});
  put("site.cfg", before_);
  EXPECT_THAT(out({"transfer", "list"}), HasSubstr("tidegate (127.0.0.1)"));
  row("deposit", "complete");
  EXPECT_THAT(out({"ledger", "--device", "TideGate"}), HasSubstr("tidegate (127.0.0.1)"));
  EXPECT_EQ(vantro_json({"ledger", "--device", "127.0.0.1"})["entries"][0]["device"],
            "tidegate");
  EXPECT_EQ(out({"ledger", "--device", "127.0.0.9"}),
            "The ledger has no rows of 127.0.0.9.\n");
  EXPECT_THAT(out({"ledger", "--device", "tidegat"}, 5),
              HasSubstr("nearest: 'tidegate'"));
}

TEST_F(BackupCommands, SayThatAnImageIsNotWhatItShouldBe) {
  fakes::write_file(scratch_ / "fw.bin", fakes::noise(200'000, 5));
  ASSERT_EQ(run({"sh", "-c", "gzip -n fw.bin && head -c 90000 fw.bin.gz > cut.gz"}, {},
                "", scratch_.path())
                .code,
            0);
  const auto sent = [&](const std::string& from, const std::string& as) {
    EXPECT_EQ(run({"curl", "-sS", "-T", scratch_ / from, http_url("/" + as)}).code, 0);
  };
  sent("fw.bin.gz", "whole.gz");
  sent("cut.gz", "cut.gz");
  take_in("running.img", fakes::noise(3000, 8));
  fakes::write_file(scratch_ / "other", fakes::noise(3000, 9));
  sent("other", "flash/running.img");
  fakes::write_file(scratch_ / "empty", "");
  sent("empty", "empty.cfg");
  ASSERT_TRUE(eventually([&] {
    return vantro({"backup", "list"}).out.find("truncated") != std::string::npos;
  }));
  const auto list = vantro({"backup", "list"}).out;
  EXPECT_THAT(list, testing::ContainsRegex("cut.gz .*complete, but truncated"));
  EXPECT_THAT(list, testing::ContainsRegex("empty.cfg .*empty"));
  EXPECT_THAT(list,
              testing::HasSubstr("differs from the image of that name, 'running.img'"));
  EXPECT_THAT(vantro({"backup", "info", "127.0.0.1", "cut.gz"}).out,
              testing::HasSubstr("CAUTION  truncated"));
  EXPECT_THAT(vantro({"backup", "info", "127.0.0.1", "whole.gz"}).out,
              testing::Not(testing::HasSubstr("CAUTION")));
  EXPECT_THAT(
      vantro({"backup", "write", "127.0.0.1", "empty.cfg", "--out", scratch_ / "saved"})
          .out,
      testing::HasSubstr("CAUTION: it is empty (0 bytes)"));
}

TEST_F(BackupCommands, RecogniseAnImageAndTakeItIn) {
  take_in("sluice-9.img", fakes::noise(5000));
  put("running.bin", fakes::noise(5000));
  EXPECT_THAT(out({"backup", "info", "127.0.0.1", "running.bin"}),
              HasSubstr("identical to image 'sluice-9.img', unvouched"));
  put("other.bin", fakes::noise(6000));
  EXPECT_THAT(out({"backup", "adopt", "127.0.0.1", "other.bin", "--name", "sluice-10.img",
                   "--platform", "sluice"}),
              HasSubstr("devices type: sluice-10.img"));
  EXPECT_EQ(vantro_json({"image", "info", "sluice-10.img"})["image"]["size"], 6000);
}

TEST_F(BackupCommands, ImportAnInventory) {
  fakes::write_file(scratch_ / "devices.csv",
                    "name;addresses;site\ntidegate;127.0.0.1;East\nheron;127.0.0.2;\n");
  EXPECT_EQ(out({"device", "import", scratch_ / "devices.csv", "--dry-run"}),
            "2 would be added: tidegate, heron\n");
  EXPECT_EQ(out({"device", "import", scratch_ / "devices.csv"}),
            "2 added: tidegate, heron\n");
  EXPECT_EQ(out({"device", "import", scratch_ / "devices.csv"}),
            "2 as they were: tidegate, heron\n");
  put("site.cfg", "a\n", "127.0.0.2");
  EXPECT_EQ(vantro_json({"backup", "revisions", "heron"})["backups"].size(), 1u);
  EXPECT_THAT(
      out({"device", "remove", "heron", "--yes"}),
      HasSubstr("Its backups are now listed under the addresses that they came from:"));
  EXPECT_EQ(vantro_json({"backup", "revisions", "127.0.0.2"})["backups"].size(), 1u);
  // By its link address and by where it is heard from as well.
  out({"device", "add", "sedge", "--link-address", "02:00:5e:10:00:09", "--addresses",
       "127.9.0.0/24"});
  for (const auto* each : {"sedge", "SEDGE", "0200.5e10.0009", "127.9.0.7"}) {
    EXPECT_THAT(out({"device", "info", each}), HasSubstr("sedge")) << each;
  }
  out({"device", "remove", "0200.5e10.0009", "--yes"});
  EXPECT_THAT(out({"device", "info", "hero"}, 5), HasSubstr("unknown device 'hero'"));
}

// The server starts without the key, lists, and refuses with the key's id.
TEST_F(BackupCommands, WithoutItsKeyTheServerSaysSo) {
  ASSERT_EQ(run({vantrod_program(), "--new-key", scratch_ / "keys"}).code, 0);
  stop();
  fakes::write_file(scratch_ / "vantro.toml",
                    "[backups]\nkey_file = \"" + (scratch_ / "keys") + "\"\n");
  start({"--config", scratch_ / "vantro.toml"});
  put("site.cfg", "host tidegate\n");
  EXPECT_EQ(saved("127.0.0.1", "site.cfg"), "host tidegate\n");
  EXPECT_THAT(run({"grep", "-r", "tidegate", state() + "/vault"}).out, "");
  stop();
  start();
  EXPECT_THAT(out({"backup", "list"}), HasSubstr("site.cfg"));
  EXPECT_THAT(out({"backup", "write", "127.0.0.1", "site.cfg", "--out", "-"}, 1),
              HasSubstr("it is encrypted with key"));
  EXPECT_TRUE(eventually([&] {
    return out({"status"}).find("1 of 1 configurations can't be read") !=
           std::string::npos;
  }));
  stop();
  const auto open =
      run({vantrod_program(), "--config", scratch_ / "vantro.toml", "--check"});
  EXPECT_EQ(open.code, 0) << open.err;
  std::filesystem::permissions(scratch_ / "keys", std::filesystem::perms::group_read,
                               std::filesystem::perm_options::add);
  EXPECT_THAT(
      run({vantrod_program(), "--config", scratch_ / "vantro.toml", "--check"}).err,
      HasSubstr("other users can read or write it"));
}

}  // namespace
}  // namespace vantro::end_to_end
