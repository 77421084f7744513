// FTP byte by byte: what clients get wrong, what hostile ones try, and what happens in
// the middle of things.
#include <fcntl.h>
#include <gmock/gmock.h>
#include <random>
#include <set>
#include <thread>

#include "tests/end_to_end/ftp_peer.h"
#include "tests/end_to_end/server_fixture.h"

namespace vantro::end_to_end {
namespace {

using testing::HasSubstr;
using testing::StartsWith;

class FtpWire : public ServerFixture {
 protected:
  void restart_with(const std::string& settings) {
    stop();
    fakes::write_file(scratch_ / "vantro.toml", settings);
    start({"--config", scratch_ / "vantro.toml"});
  }
  void restart_with_tls() {
    ASSERT_EQ(run({"openssl", "req", "-x509", "-newkey", "rsa:2048", "-nodes", "-keyout",
                   scratch_ / "key.pem", "-out", scratch_ / "cert.pem", "-days", "2",
                   "-subj", "/CN=vantro"})
                  .code,
              0);
    restart_with("[ftp]\ncertificate = \"" + (scratch_ / "cert.pem") + "\"\nkey = \"" +
                 (scratch_ / "key.pem") + "\"\n");
  }
  std::string newest(const std::string& event) {
    std::string found;
    EXPECT_TRUE(eventually([&] {
      for (const auto& one : ledger()) {
        if (one["event"] != event) continue;
        found =
            one["outcome"].get<std::string>() + ": " + one["sentence"].get<std::string>();
        return true;
      }
      return false;
    }));
    return found;
  }
};

TEST_F(FtpWire, TakesCommandsAsTheyCome) {
  take_in("x.img", "the image");
  TcpPeer peer(ftp_port_);
  // Bare ends of lines, lower case, pipelined, telnet in between, and no word after it.
  peer.send("user anonymous\npass x\nnoop\xff\xf1\npwd\r\ncwd nowhere\r\nsize x.img\n");
  peer.send(std::string("si", 2));
  peer.send("ze ../x.img\r\nquit\r\nretr x.img\r\n");
  const auto all = peer.rest();
  EXPECT_THAT(all, StartsWith("220 vantrod: "));
  EXPECT_THAT(all,
              HasSubstr("200 Still here\r\n257 \"/\" is the current folder\r\n250 Now in "
                        "\"/nowhere\", which is empty"));
  EXPECT_THAT(all, HasSubstr("\r\n213 9\r\n221 Goodbye\r\n"));
  EXPECT_THAT(all, testing::EndsWith("221 Goodbye\r\n"));
}

TEST_F(FtpWire, ServesAClientThatEndsItsSideFirst) {
  take_in("x.img", "the image");
  TcpPeer peer(ftp_port_);
  peer.send("USER anonymous\r\nPASS x\r\nSIZE x.img\r\nQUIT\r\n");
  peer.end_sending();
  EXPECT_THAT(peer.rest(), HasSubstr("213 9\r\n221 Goodbye\r\n"));
  TcpPeer without(ftp_port_);
  without.send("USER anonymous\r\nPASS x\r\nSIZE x.img\r\n");
  without.end_sending();
  EXPECT_THAT(without.rest(), testing::EndsWith("213 9\r\n"));
}

TEST_F(FtpWire, AnswersTenThousandCommandsInOneConnection) {
  take_in("x.img", "the image");
  FtpPeer peer(ftp_port_);
  peer.log_in();
  const char* const all[] = {"NOOP",  "PWD",        "SIZE x.img", "TYPE I", "STAT",
                             "CWD /", "MLST x.img", "FROB",       "REST 0", "HELP"};
  std::string batch;
  for (int i = 0; i < 10'000; ++i) batch += std::string(all[i % 10]) + "\r\n";
  // Both ways at once: nobody reads so much without writing.
  std::thread writer([&] { peer.control().send(batch); });
  const char* const codes[] = {"200", "257", "213", "200", "211",
                               "250", "250", "500", "350", "214"};
  int wrong = 0;
  for (int i = 0; i < 10'000; ++i) {
    if (peer.reply().substr(0, 3) != codes[i % 10]) ++wrong;
  }
  writer.join();
  EXPECT_EQ(wrong, 0);
  EXPECT_THAT(peer.command("QUIT"), StartsWith("221 "));
}

// All commands before the first reply is read, in records of TLS that are larger than
// what is read at a time.
TEST_F(FtpWire, LeavesNoCommandLyingUnderTls) {
  restart_with_tls();
  std::string commands = "USER anonymous\r\nPASS x\r\n";
  for (int i = 0; i < 20'000; ++i) commands += "NOOP\r\n";
  const auto all = run({"openssl", "s_client", "-quiet", "-starttls", "ftp", "-connect",
                        "127.0.0.1:" + std::to_string(ftp_port_)},
                       {}, commands + "QUIT\r\n");
  std::size_t answered = 0;
  for (auto at = all.out.find("200 Still"); at != std::string::npos;
       at = all.out.find("200 Still", at + 1)) {
    ++answered;
  }
  EXPECT_EQ(answered, 20'000u);
  EXPECT_THAT(all.out, testing::EndsWith("221 Goodbye\r\n"));
}

TEST_F(FtpWire, AClientThatReadsNoRepliesIsNotReadFromEither) {
  TcpPeer peer(ftp_port_, 4096);
  ASSERT_EQ(::fcntl(peer.fd(), F_SETFL, O_NONBLOCK), 0);
  std::string help;
  while (help.size() < 64 * 1024) help += "HELP\r\n";
  std::size_t taken = 0;
  for (int still = 0; still < 50;) {
    const auto put = ::send(peer.fd(), help.data(), help.size(), MSG_NOSIGNAL);
    if (put > 0) {
      taken += static_cast<std::size_t>(put);
      still = 0;
    } else {
      ++still;
      ::usleep(10'000);
    }
    ASSERT_LT(taken, 64u << 20);
  }
  FtpPeer other(ftp_port_);
  EXPECT_THAT(other.log_in(), StartsWith("230 "));
}

TEST_F(FtpWire, RefusesLongLinesAndGoesOn) {
  FtpPeer peer(ftp_port_);
  peer.log_in();
  EXPECT_EQ(peer.command("RETR " + std::string(100'000, 'x')),
            "500 That line is too long for a command\r\n");
  EXPECT_THAT(peer.command("RETR \x01\x02"), StartsWith("425 "));
  EXPECT_THAT(peer.command("NOOP"), StartsWith("200 "));
  peer.passive();
  EXPECT_THAT(peer.command("RETR " + std::string(1000, 'y')), StartsWith("550 "));
  peer.passive();
  EXPECT_THAT(peer.command(std::string("RETR a\0b", 8)), StartsWith("550 "));
  peer.passive();
  EXPECT_THAT(peer.command("STOR \xc3\x28"), StartsWith("553 "));
}

TEST_F(FtpWire, ArbitraryBytesEndNothingButTheirConnection) {
  std::mt19937 random(20261126);
  for (int i = 0; i < 60; ++i) {
    TcpPeer peer(ftp_port_);
    std::string noise = i % 2 ? "USER anonymous\r\nPASS x\r\n" : "";
    for (int k = 0; k < 3000; ++k) {
      noise += random() % 20 == 0 ? '\n' : static_cast<char>(random());
    }
    peer.send(noise);
    peer.close();
  }
  FtpPeer peer(ftp_port_);
  EXPECT_THAT(peer.log_in(), StartsWith("230 "));
}

TEST_F(FtpWire, DoesNotBounce) {
  take_in("x.img", "the image");
  FtpPeer peer(ftp_port_);
  peer.log_in();
  EXPECT_THAT(peer.command("PORT 127,0,0,2,200,1"),
              StartsWith("504 Data connections go to 127.0.0.1 only"));
  EXPECT_THAT(peer.command("EPRT |1|192.0.2.1|50000|"), StartsWith("504 "));
  EXPECT_THAT(peer.command("PORT 127,0,0,1,0,25"),
              StartsWith("504 Data connections do not go to ports below 1024"));
  EXPECT_THAT(peer.command("RETR x.img"), StartsWith("425 "));
}

TEST_F(FtpWire, AThirdAddressGetsNoDataConnection) {
  take_in("x.img", "the image");
  FtpPeer peer(ftp_port_);
  peer.log_in();
  const auto port = peer.passive_port();
  // From another address of this machine.
  TcpPeer thief(port, 0, "127.0.0.9");
  ASSERT_TRUE(thief.connected());
  EXPECT_EQ(thief.rest(), "");
  TcpPeer data(port);
  EXPECT_THAT(peer.command("RETR x.img"), StartsWith("150 "));
  EXPECT_EQ(data.rest(), "the image");
  data.close();
  EXPECT_THAT(peer.reply(), StartsWith("226 "));
  EXPECT_THAT(vantro({"contact", "127.0.0.9"}).out,
              HasSubstr("it connected to a port that was opened for another client"));
}

TEST_F(FtpWire, KeepsItsPassivePortsInTheRange) {
  restart_with("[ftp]\ndata_ports = \"21110-21112\"\nannounce = \"203.0.113.5\"\n");
  take_in("x.img", "the image");
  FtpPeer peers[3] = {FtpPeer(ftp_port_), FtpPeer(ftp_port_), FtpPeer(ftp_port_)};
  std::set<int> ports;
  for (auto& one : peers) {
    one.log_in();
    ports.insert(one.passive_port());
  }
  EXPECT_EQ(ports, (std::set<int>{21110, 21111, 21112}));
  FtpPeer fourth(ftp_port_);
  fourth.log_in();
  EXPECT_EQ(fourth.command("EPSV"),
            "425 no port from 21110 to 21112 is free; try again in a moment\r\n");
  // Asking again gives the old one back first.
  EXPECT_THAT(peers[0].command("PASV"),
              StartsWith("227 Entering passive mode (203,0,113,5,82,"));
  // Used and free again at once, over and over.
  for (int i = 0; i < 50; ++i) {
    ASSERT_EQ(peers[0].fetched("RETR x.img"), "the image") << i << peers[0].said;
  }
}

TEST_F(FtpWire, AbortsADownloadWithUrgentTelnetAndWithout) {
  const auto large = fakes::noise(30'000'000, 3);
  take_in("large.img", large);
  for (const bool urgent : {false, true}) {
    FtpPeer peer(ftp_port_);
    peer.log_in();
    auto data = peer.passive(16 * 1024);
    EXPECT_THAT(peer.command("RETR large.img"), StartsWith("150 "));
    ASSERT_FALSE(data->receive().empty());
    EXPECT_THAT(peer.command("STAT"), HasSubstr("Sending 'large.img': "));
    if (urgent) {
      // As clients do it: interrupt, then the data mark as urgent data (RFC 959, 4.1.3).
      peer.control().send("\xff\xf4\xff");
      ::send(peer.control().fd(), "\xf2", 1, MSG_OOB);
      peer.control().send("ABOR\r\n");
    } else {
      peer.control().send("PWD\r\nABOR\r\nNOOP\r\n");
    }
    EXPECT_THAT(peer.reply(), StartsWith("426 "));
    if (!urgent) {
      EXPECT_THAT(peer.reply(), StartsWith("257 "));
    }
    EXPECT_THAT(peer.reply(), StartsWith("226 "));
    if (!urgent) {
      EXPECT_THAT(peer.reply(), StartsWith("200 "));
    }
    EXPECT_THAT(newest("fetch"), StartsWith("abandoned: the client ended it"));
    // The session goes on.
    data = peer.passive();
    EXPECT_THAT(peer.command("REST 29999990"), StartsWith("350 "));
    EXPECT_THAT(peer.command("RETR large.img"),
                StartsWith("150 Sending 'large.img' (10 "));
    EXPECT_EQ(data->rest(), large.substr(29'999'990));
    data->close();
    EXPECT_THAT(peer.reply(), StartsWith("226 "));
  }
}

TEST_F(FtpWire, AnUploadThatIsAbortedStaysPartial) {
  FtpPeer peer(ftp_port_);
  peer.log_in();
  auto data = peer.passive();
  EXPECT_THAT(peer.command("STOR site.cfg"), StartsWith("150 "));
  data->send(std::string(100'000, 'c'));
  ASSERT_TRUE(eventually([&] {
    return peer.command("STAT").find("Receiving 'site.cfg': 100000 bytes") !=
           std::string::npos;
  }));
  EXPECT_THAT(peer.command("ABOR"), StartsWith("426 "));
  EXPECT_THAT(peer.reply(), StartsWith("226 "));
  EXPECT_THAT(newest("deposit"), StartsWith("abandoned: "));
  ASSERT_TRUE(
      eventually([&] { return peer.command("SIZE site.cfg") == "213 100000\r\n"; }));
  EXPECT_EQ(peer.command("REST 99999").substr(0, 3), "350");
  peer.send("STOR site.cfg", "rest");
  EXPECT_EQ(peer.said,
            "553 cannot resume 'site.cfg' at byte 99999; resume at 100000, or send the "
            "whole file\r\n");
  peer.command("REST 100000");
  peer.send("STOR site.cfg", "the rest");
  EXPECT_THAT(peer.said, HasSubstr("226 Filed: revision 2 of 'site.cfg'"));
  EXPECT_EQ(saved("127.0.0.1", "site.cfg"), std::string(100'000, 'c') + "the rest");
  peer.send("APPE site.cfg", "more");
  EXPECT_THAT(peer.said, StartsWith("553 cannot append to 'site.cfg': revision 2"));
  peer.send("APPE new.cfg", "begun with APPE");
  EXPECT_THAT(peer.said, HasSubstr("226 Filed: revision 1 of 'new.cfg'"));
  peer.command("REST 5");
  peer.send("STOR other.cfg", "x");
  EXPECT_THAT(peer.said, StartsWith("553 nothing of 'other.cfg' has arrived"));
}

TEST_F(FtpWire, WhoeverLosesTheControlConnectionHasSentNothingWhole) {
  auto peer = std::make_unique<FtpPeer>(ftp_port_);
  peer->log_in();
  auto data = peer->passive();
  EXPECT_THAT(peer->command("STOR site.cfg"), StartsWith("150 "));
  data->send("only a half of the configuration");
  // As the system closes the connections of one that was killed: the last one first.
  data->close();
  peer->control().close();
  EXPECT_THAT(newest("deposit"), StartsWith("abandoned: "));
  ASSERT_TRUE(eventually([&] {
    const auto all = vantro_json({"backup", "revisions"})["backups"];
    return all.size() == 1 && all[0]["complete"] == false && all[0]["size"] == 32;
  }));
  // One that has said goodbye before is served to the end.
  peer = std::make_unique<FtpPeer>(ftp_port_);
  peer->log_in();
  data = peer->passive();
  EXPECT_THAT(peer->command("STOR bye.cfg"), StartsWith("150 "));
  peer->control().send("QUIT\r\n");
  peer->control().end_sending();
  data->send("all of it");
  data->close();
  EXPECT_THAT(peer->reply(), StartsWith("226 "));
  EXPECT_THAT(peer->reply(), StartsWith("221 "));
  EXPECT_EQ(saved("127.0.0.1", "bye.cfg"), "all of it");
}

TEST_F(FtpWire, LessThanWasAnnouncedIsNotWhole) {
  FtpPeer peer(ftp_port_);
  peer.log_in();
  EXPECT_THAT(peer.command("ALLO 10"), StartsWith("200 "));
  peer.send("STOR site.cfg", "too few");
  EXPECT_THAT(peer.said, HasSubstr("426 The client announced 10 bytes, but 7 arrived"));
  EXPECT_EQ(backups(1)[0]["complete"], false);
  peer.command("ALLO 10");
  peer.send("STOR site.cfg", "as it says");
  EXPECT_THAT(peer.said, HasSubstr("226 Filed: revision 2"));
  // It goes on where the other one broke off.
  peer.command("ALLO 6");
  peer.send("STOR other.cfg", "abc");
  backups(3);
  EXPECT_THAT(peer.command("REST 3"), StartsWith("350 "));
  peer.command("ALLO 6");
  peer.send("STOR other.cfg", "def");
  EXPECT_THAT(peer.said, HasSubstr("226 Filed: revision 2"));
  EXPECT_EQ(saved("127.0.0.1", "other.cfg"), "abcdef");
}

// The end of the data alone proves nothing: a client that is killed ends them, too.
TEST_F(FtpWire, WhatAClientWasNotThereToHearOfIsInDoubt) {
  FtpPeer good(ftp_port_);
  good.log_in();
  good.send("STOR site.cfg", "the whole configuration");
  EXPECT_THAT(good.said, HasSubstr("226 Filed: revision 1"));
  {
    // Its system takes no more replies, so this one can't have arrived.
    FtpPeer deaf(ftp_port_, 4096);
    deaf.log_in();
    auto data = deaf.passive();
    EXPECT_THAT(deaf.command("STOR site.cfg"), StartsWith("150 "));
    ASSERT_EQ(::fcntl(deaf.control().fd(), F_SETFL, O_NONBLOCK), 0);
    std::string noops;
    while (noops.size() < 64 * 1024) noops += "NOOP\r\n";
    // Until the server waits for the client to read.
    int full = 0;
    ASSERT_TRUE(eventually([&] {
      const auto put =
          ::send(deaf.control().fd(), noops.data(), noops.size() / 6 * 6, MSG_NOSIGNAL);
      if (put > 0)
        noops = noops.substr(static_cast<std::size_t>(put) % 6) +
                noops.substr(0, static_cast<std::size_t>(put) % 6);
      full = put < 0 ? full + 1 : 0;
      return full > 20;
    }));
    data->send("the whole con");
    data->close();
    EXPECT_EQ(backups(2)[1]["complete"], true);
  }
  nlohmann::json doubtful;
  ASSERT_TRUE(eventually([&] {
    doubtful = backups(2)[1];
    return doubtful["ending"] == "unconfirmed";
  }));
  EXPECT_EQ(doubtful["why"],
            "end not confirmed: the client was gone before it got the reply");
  EXPECT_THAT(vantro({"backup", "revisions"}).out, HasSubstr("end not confirmed"));
  EXPECT_EQ(row("deposit", "failed")["sentence"],
            "revision 2: end not confirmed: the client was gone before it got the reply");
  // It is kept, but the good one stays the device's backup.
  EXPECT_EQ(saved("127.0.0.1", "site.cfg"), "the whole configuration");
  EXPECT_EQ(vantro_json({"backup", "list"})["files"][0]["revision"], 1);
  // The same bytes with a reply that arrives make it good.
  good.send("STOR site.cfg", "the whole con");
  EXPECT_THAT(good.said, HasSubstr("226 Filed: revision 2"));
  EXPECT_EQ(vantro_json({"backup", "list"})["files"][0]["revision"], 2);
  EXPECT_EQ(backups(2)[1]["ending"], "");
}

TEST_F(FtpWire, AllThatHadArrivedOfAKilledClientIsKept) {
  for (const std::size_t size : {std::size_t{200'000}, std::size_t{3'000'000}}) {
    auto peer = std::make_unique<FtpPeer>(ftp_port_);
    peer->log_in();
    auto data = peer->passive();
    const auto name = std::to_string(size) + ".cfg";
    EXPECT_THAT(peer->command("STOR " + name), StartsWith("150 "));
    ASSERT_TRUE(data->send(fakes::noise(size, 3)));
    // The last one first, as the system does it.
    data->close();
    peer.reset();
    ASSERT_TRUE(eventually([&] {
      const auto all = vantro_json({"backup", "revisions"})["backups"];
      for (const auto& one : all) {
        if (one["name"] != name) continue;
        EXPECT_EQ(one["complete"], false);
        EXPECT_EQ(one["size"], size);
        return true;
      }
      return false;
    })) << ledger();
  }
}

TEST_F(FtpWire, ADownloadEndsWithItsControlConnection) {
  take_in("large.img", fakes::noise(30'000'000, 3));
  auto peer = std::make_unique<FtpPeer>(ftp_port_);
  peer->log_in();
  const auto data = peer->passive(16 * 1024);
  peer->command("RETR large.img");
  ASSERT_FALSE(data->receive().empty());
  peer.reset();
  EXPECT_THAT(newest("fetch"),
              StartsWith("abandoned: the client closed the control connection"));
}

TEST_F(FtpWire, TextGoesAsTextWhereThatIsAsked) {
  take_in("notes.txt", "one\ntwo\r\nthree\n");
  FtpPeer peer(ftp_port_);
  peer.log_in();
  EXPECT_EQ(peer.fetched("RETR notes.txt"), "one\ntwo\r\nthree\n");
  peer.command("TYPE A");
  EXPECT_EQ(peer.fetched("RETR notes.txt"), "one\r\ntwo\r\r\nthree\r\n");
  EXPECT_THAT(peer.said, HasSubstr("226 'notes.txt' was sent as text (TYPE A)"));
  EXPECT_EQ(newest("fetch"), "complete: as text (TYPE A)");
  peer.send("STOR site.cfg", "hostname a\r\ninterface b\r\n\rx\r");
  EXPECT_EQ(saved("127.0.0.1", "site.cfg"), "hostname a\ninterface b\n\rx\r");
  const auto large = fakes::noise(700'000, 5);
  std::string wire;
  for (const char c : large) wire += c == '\n' ? std::string("\r\n") : std::string(1, c);
  take_in("noise.img", large);
  EXPECT_EQ(peer.fetched("RETR noise.img"), wire);
  peer.send("STOR noise.cfg", wire);
  EXPECT_EQ(saved("127.0.0.1", "noise.cfg"), large);
}

TEST_F(FtpWire, ListsInEveryForm) {
  take_in("a.img", "aaaa");
  take_in("b.bin", "b");
  take_in("north/c.img", "c");
  FtpPeer peer(ftp_port_);
  peer.log_in();
  EXPECT_EQ(peer.fetched("NLST"), "a.img\r\nb.bin\r\nhello\r\nnorth\r\n");
  EXPECT_EQ(peer.fetched("NLST *.img"), "a.img\r\n");
  EXPECT_EQ(peer.fetched("NLST north/*"), "north/c.img\r\n");
  EXPECT_EQ(peer.fetched("NLST north"), "c.img\r\n");
  EXPECT_THAT(peer.fetched("LIST -la"),
              HasSubstr("-r--r--r-- 1 vantro vantro            4 "));
  EXPECT_THAT(peer.fetched("LIST a.img"), testing::EndsWith(" a.img\r\n"));
  EXPECT_THAT(peer.fetched("MLSD"), HasSubstr("type=dir;modify="));
  EXPECT_THAT(peer.fetched("MLSD /north"), HasSubstr("type=file;size=1;modify="));
  peer.passive();
  EXPECT_THAT(peer.command("NLST *.zip"), StartsWith("550 nothing fits '*.zip'"));
  peer.passive();
  EXPECT_THAT(peer.command("LIST south"), StartsWith("550 there is no folder 'south'"));
  EXPECT_THAT(peer.command("CWD a.img"), StartsWith("550 'a.img' is a file"));
  // One that was made, or gone into, is listed as empty, and not called missing.
  EXPECT_THAT(peer.command("MKD south"), StartsWith("257 "));
  EXPECT_THAT(peer.command("CWD south"), StartsWith("250 "));
  for (const auto* list : {"LIST", "NLST", "MLSD", "LIST -la"}) {
    EXPECT_EQ(peer.fetched(list), "") << list;
    EXPECT_THAT(peer.said, HasSubstr("226 ")) << list;
  }
  peer.passive();
  EXPECT_THAT(peer.command("RETR a.mig"),
              StartsWith("550 'south/a.mig' is not on offer"));
  EXPECT_THAT(peer.command("CDUP"), StartsWith("250 Now in \"/\""));
  EXPECT_THAT(peer.command("SIZE north"), StartsWith("550 'north' is a folder"));
}

// Whether it gives up after SIZE or asks all the same: each refusal is on record once.
TEST_F(FtpWire, RecordsWhatWasNotThereOnce) {
  take_in("pump.img", "the image");
  const auto refused = [&] {
    std::string all;
    for (const auto rows = ledger(); const auto& one : rows) {
      if (one["outcome"] == "refused") all += one["name"].get<std::string>() + " ";
    }
    return all;
  };
  {
    FtpPeer peer(ftp_port_);
    peer.log_in();
    peer.command("SIZE pmup.img");
    peer.command("MDTM pmup.img");
    peer.command("SIZE other.img");
    peer.passive();
    peer.command("RETR other.img");
    // Before an upload it is no wish to have it.
    peer.command("SIZE new.cfg");
    peer.send("STOR new.cfg", "new");
    peer.command("SIZE last.img");
    peer.command("QUIT");
  }
  ASSERT_TRUE(
      eventually([&] { return refused().find("last.img") != std::string::npos; }));
  EXPECT_EQ(refused(), "last.img other.img pmup.img ");
}

TEST_F(FtpWire, TimeRunsOutForThoseWhoDoNothing) {
  restart_with("[ftp]\nlog_in_s = 1\nidle_s = 1\nstalled_s = 2\ndata_connection_s = 1\n");
  take_in("large.img", fakes::noise(30'000'000, 3));
  {
    FtpPeer silent(ftp_port_);
    EXPECT_EQ(silent.reply(), "421 No log-in within 1 seconds\r\n");
    EXPECT_EQ(silent.reply(), "");
  }
  FtpPeer idle(ftp_port_);
  idle.log_in();
  EXPECT_THAT(idle.reply(), StartsWith("421 No command for 1 seconds"));
  FtpPeer waiting(ftp_port_);
  waiting.log_in();
  waiting.passive_port();
  EXPECT_THAT(waiting.command("RETR large.img"), StartsWith("150 "));
  EXPECT_THAT(waiting.reply(), StartsWith("425 No data connection within 1 "));
  const auto stalled = waiting.passive(16 * 1024);
  EXPECT_THAT(waiting.command("RETR large.img"), StartsWith("150 "));
  EXPECT_THAT(waiting.reply(), StartsWith("426 No progress for 2 seconds after "));
  EXPECT_THAT(waiting.command("NOOP"), StartsWith("200 "));
  // One that asks without reading, until nobody listens to it any more.
  TcpPeer deaf(ftp_port_, 4096);
  ASSERT_TRUE(deaf.send("USER anonymous\r\nPASS x\r\n"));
  ASSERT_EQ(::fcntl(deaf.fd(), F_SETFL, O_NONBLOCK), 0);
  std::string help;
  while (help.size() < 64 * 1024) help += "HELP\r\n";
  ASSERT_TRUE(eventually([&] {
    const auto put = ::send(deaf.fd(), help.data(), help.size(), MSG_NOSIGNAL);
    return put < 0 && errno != EAGAIN;
  }));
}

TEST_F(FtpWire, GuessingIsSlow) {
  FtpPeer peer(ftp_port_);
  for (int i = 0; i < 3; ++i) {
    EXPECT_THAT(peer.log_in("night", "guess"), StartsWith("530 "));
  }
  const auto begin = std::chrono::steady_clock::now();
  EXPECT_THAT(peer.log_in("night", "guess"), StartsWith("530 "));
  EXPECT_GE(std::chrono::steady_clock::now() - begin, std::chrono::milliseconds(2900));
}

// What is said in the clear before the handshake was perhaps said by somebody else.
TEST_F(FtpWire, NothingIsSmuggledInBeforeTls) {
  restart_with_tls();
  TcpPeer peer(ftp_port_);
  peer.send("AUTH TLS\r\nUSER anonymous\r\nPASS x\r\nPWD\r\n");
  const auto all = peer.rest();
  EXPECT_THAT(all, HasSubstr("234 "));
  EXPECT_THAT(all, testing::Not(HasSubstr("331")));
  // Who then speaks no TLS gets nowhere.
  TcpPeer clear(ftp_port_);
  clear.send("AUTH TLS\r\n");
  ASSERT_THAT(clear.receive() + clear.receive(), HasSubstr("234 "));
  clear.send("USER anonymous\r\n");
  EXPECT_THAT(clear.rest(), testing::Not(HasSubstr("331")));
}

TEST_F(FtpWire, StopsWithAWord) {
  FtpPeer peer(ftp_port_);
  peer.log_in();
  server_->signal(SIGTERM);
  EXPECT_EQ(peer.reply(), "421 The server is being stopped; try again in a minute\r\n");
  EXPECT_EQ(server_->wait(), 0);
}

}  // namespace
}  // namespace vantro::end_to_end
