// A session, command by command: what it answers, and what it asks for.
#include "wire/ftp/session.h"

#include <gtest/gtest.h>

#include "tests/fakes/sim_clock.h"

namespace vantro::wire::ftp {
namespace {

using namespace std::chrono_literals;
using base::Kind;

std::string text_of(const Action& action) {
  struct Text {
    std::string operator()(const Say& what) { return what.text; }
    std::string operator()(const CheckLogIn& what) {
      return "check '" + what.name + "' '" + what.password + "'\n";
    }
    std::string operator()(const Look& what) {
      return "look " + std::to_string(static_cast<int>(what.what)) + " " + what.path +
             "\n";
    }
    std::string operator()(const Listen&) { return "listen\n"; }
    std::string operator()(const Open& what) {
      return "open " + std::to_string(static_cast<int>(what.what)) + " " + what.path +
             (what.offset ? " at " + std::to_string(what.offset) : "") +
             (what.append ? " append" : "") + (what.lines ? " lines" : "") +
             (what.announced ? " of " + std::to_string(*what.announced) : "") + "\n";
    }
    std::string operator()(const Begin& what) {
      return "begin " + (what.to ? what.to->text() : "passive") + "\n";
    }
    std::string operator()(const Abort&) { return "abort\n"; }
    std::string operator()(const CloseListener&) { return "close listener\n"; }
    std::string operator()(const StartTls&) { return "start tls\n"; }
    std::string operator()(const Close&) { return "close\n"; }
  };
  return std::visit(Text{}, action);
}

class FtpSession : public testing::Test {
 protected:
  explicit FtpSession(const char* peer = "192.0.2.7:40000") { restart(peer); }

  void restart(const char* peer, bool tls = true) {
    SessionConfig config;
    config.peer = *base::Endpoint::parse(peer);
    config.tls = tls;
    config.version = "1";
    session_ = std::make_unique<Session>(config);
    step(Started{});
  }
  // What came of it, as text; without the ends of lines' CR.
  std::string step(const Event& event) {
    Actions actions;
    session_->step(event, clock_.now(), clock_.wall(), actions);
    return told(actions);
  }
  static std::string told(const Actions& actions) {
    std::string text;
    for (const auto& one : actions) text += text_of(one);
    std::erase(text, '\r');
    return text;
  }
  std::string say(std::string_view line) {
    const auto command = parse_command(line);
    EXPECT_TRUE(session_->takes(command)) << line;
    return step(Came{command});
  }
  void log_in() {
    say("USER anonymous");
    say("PASS x");
    step(LoggedIn{std::string()});
    ASSERT_TRUE(session_->logged_in());
  }
  void passive() {
    EXPECT_EQ(say("PASV"), "listen\n");
    EXPECT_EQ(step(Listening{*base::Endpoint::parse("192.0.2.10:50001")}),
              "227 Entering passive mode (192,0,2,10,195,81)\n");
  }
  void transfer(const std::string& command) {
    passive();
    say(command);
    EXPECT_EQ(step(Opened{std::string("Sending 'x' (5 bytes)")}),
              "150 Sending 'x' (5 bytes)\nbegin passive\n");
  }
  std::string wait(base::Duration time) {
    clock_.advance(time);
    const auto deadline = session_->deadline();
    if (!deadline || clock_.now() < *deadline) return "";
    return step(DeadlinePassed{});
  }
  static base::Outcome<Seen> file(std::uint64_t size) {
    return Seen{{"x", false, size, 1'790'000'000'000}, false, {}};
  }

  fakes::SimClock clock_;
  std::unique_ptr<Session> session_;
};

TEST_F(FtpSession, WantsALogInFirst) {
  for (const auto* one : {"RETR x", "STOR x", "LIST", "PASV", "CWD a", "DELE x",
                          "PORT 192,0,2,7,195,80", "TYPE I"}) {
    EXPECT_EQ(say(one).substr(0, 4), "530 ") << one;
  }
  EXPECT_EQ(say("PASS x"), "503 The name comes first: USER\n");
  EXPECT_EQ(say("STAT x"), "530 Log in first\n");
  EXPECT_EQ(say("SYST"), "215 UNIX Type: L8\n");
}

TEST_F(FtpSession, TakesAnybodyAsAnonymous) {
  EXPECT_EQ(say("user Anonymous"), "331 No account: any password will do\n");
  EXPECT_EQ(say("PASS me@example.net"), "check '' ''\n");
  EXPECT_EQ(step(LoggedIn{std::string()}),
            "230 Logged in without an account: you may do what is open to 192.0.2.7\n");
  EXPECT_EQ(say("PASS again"), "202 You are logged in already\n");
  say("USER ftp");
  EXPECT_FALSE(session_->logged_in());
  say("PASS x");
  EXPECT_EQ(step(LoggedIn{base::refuse(Kind::kDenied, "nothing is open to you")}),
            "530 nothing is open to you\n");
}

TEST_F(FtpSession, IsSlowAfterWrongPasswordsAndThenEnds) {
  const auto wrong = base::refuse(Kind::kAccountNeeded, "wrong name or password");
  for (int i = 1; i <= 6; ++i) {
    say("USER night");
    EXPECT_EQ(say("PASS guess"), "check 'night' 'guess'\n");
    const auto answer = step(LoggedIn{wrong});
    if (i <= 3) {
      EXPECT_EQ(answer, "530 wrong name or password\n");
    } else if (i < 6) {
      EXPECT_EQ(answer, "");
      EXPECT_FALSE(session_->takes(parse_command("USER night")));
      EXPECT_EQ(wait(2s), "");
      EXPECT_EQ(wait(1s), "530 wrong name or password\n");
    } else {
      EXPECT_EQ(answer,
                "530 wrong name or password\n421 Too many wrong passwords\nclose\n");
    }
  }
  EXPECT_EQ(step(Came{parse_command("NOOP")}), "");
}

TEST_F(FtpSession, EndsWhoDoesNotLogInAndWhoAsksNothing) {
  EXPECT_EQ(wait(59s), "");
  say("NOOP");
  EXPECT_EQ(wait(1s), "421 No log-in within 60 seconds\nclose\n");
  restart("192.0.2.7:40000");
  log_in();
  EXPECT_EQ(wait(299s), "");
  say("NOOP");
  EXPECT_EQ(wait(299s), "");
  EXPECT_EQ(wait(1s), "421 No command for 300 seconds; log in again\nclose\n");
}

TEST_F(FtpSession, WalksThroughFolders) {
  log_in();
  EXPECT_EQ(say("PWD"), "257 \"/\" is the current folder\n");
  EXPECT_EQ(say("CWD north"), "look 0 /north\n");
  EXPECT_EQ(step(Looked{Seen{{"north", true, 0, 0}, false, {}}}),
            "250 Now in \"/north\"\n");
  say("CWD a\"b");
  EXPECT_EQ(
      step(Looked{Seen{{"a\"b", true, 0, 0}, true, {}}}),
      "250 Now in \"/north/a\"\"b\", which is empty: files sent here are kept under "
      "that name\n");
  // Told to be there, it is listed as empty.
  EXPECT_EQ(say("MLST"), "250-Facts:\n type=dir;modify=" + time_text(clock_.wall()) +
                             ";perm=elcm; /north/a\"b\n250 End\n");
  EXPECT_EQ(say("CDUP"), "look 0 /north\n");
  EXPECT_EQ(step(Looked{Seen{{"north", true, 0, 0}, false, {}}}),
            "250 Now in \"/north\"\n");
  say("CWD nothing");
  EXPECT_EQ(step(Looked{base::refuse(Kind::kNotFound, "there is no folder", "north")}),
            "550 there is no folder; nearest: '/north'\n");
  // So that it can be typed from where the client is.
  passive();
  say("RETR pmup.img");
  EXPECT_EQ(step(Opened{base::refuse(Kind::kNotFound, "not on offer", "pump.img")}),
            "550 not on offer; nearest: '/pump.img'\nclose listener\n");
  EXPECT_EQ(say("XPWD"), "257 \"/north\" is the current folder\n");
  EXPECT_EQ(say("MKD b"), "look 1 /north/b\n");
  EXPECT_EQ(step(Looked{Seen{{"b", true, 0, 0}, true, {}}}),
            "257 \"/north/b\" exists as soon as a file is sent into it\n");
}

TEST_F(FtpSession, TellsOfFiles) {
  log_in();
  EXPECT_EQ(say("SIZE x"), "look 2 /x\n");
  EXPECT_EQ(step(Looked{file(1234)}), "213 1234\n");
  say("MDTM x");
  EXPECT_EQ(step(Looked{file(1234)}), "213 20260921141320\n");
  EXPECT_EQ(say("MLST x"), "look 3 /x\n");
  EXPECT_EQ(step(Looked{file(1234)}),
            "250-Facts:\n type=file;size=1234;modify=20260921141320;perm=r; /x\n"
            "250 End\n");
  EXPECT_EQ(say("OPTS MLST size;"), "200 MLST OPTS size;\n");
  say("MLST x");
  EXPECT_EQ(step(Looked{file(7)}), "250-Facts:\n size=7; /x\n250 End\n");
  say("TYPE A");
  EXPECT_EQ(say("SIZE x").substr(0, 4), "550 ");
  EXPECT_EQ(say("STAT /north"), "look 4 /north\n");
  EXPECT_EQ(
      step(Looked{Seen{{}, false, {{"x", false, 5, 0}}}}),
      "213-In \"/north\":\n -r--r--r-- 1 vantro vantro            5 Jan  1  1970 x\n"
      "213 End\n");
}

TEST_F(FtpSession, FetchesAndSaysWhenItIsThere) {
  log_in();
  EXPECT_EQ(say("RETR x"), "425 First use PASV, EPSV, PORT or EPRT\n");
  passive();
  EXPECT_EQ(say("RETR x"), "open 0 /x\n");
  EXPECT_FALSE(session_->takes(parse_command("NOOP")));
  EXPECT_EQ(step(Opened{std::string("Sending 'x' (5 bytes)")}),
            "150 Sending 'x' (5 bytes)\nbegin passive\n");
  EXPECT_EQ(step(Ended{Ended::How::kDone, "'x', 5 bytes", {}}), "226 'x', 5 bytes\n");
  // The port was for one.
  EXPECT_EQ(say("RETR x").substr(0, 4), "425 ");
}

TEST_F(FtpSession, GoesOnBehindByte) {
  log_in();
  EXPECT_EQ(say("REST 100"), "350 The next file begins at byte 100\n");
  passive();
  EXPECT_EQ(say("RETR x"), "open 0 /x at 100\n");
  EXPECT_EQ(step(Opened{base::refuse(Kind::kInvalid, "it has 50 bytes")}),
            "550 it has 50 bytes\nclose listener\n");
  // It holds for one transfer.
  passive();
  EXPECT_EQ(say("STOR x"), "open 1 /x\n");
  step(Opened{base::refuse(Kind::kFull, "full")});
  say("REST 7");
  passive();
  EXPECT_EQ(say("STOR x"), "open 1 /x at 7\n");
  step(Opened{base::refuse(Kind::kFull, "full")});
  passive();
  EXPECT_EQ(say("APPE x"), "open 1 /x append\n");
  EXPECT_EQ(step(Opened{base::refuse(Kind::kInvalid, "whole")}),
            "553 whole\nclose listener\n");
  EXPECT_EQ(say("REST x"), "501 Use REST and a number of bytes\n");
}

// After 350 every client keeps what comes behind what it has.
TEST_F(FtpSession, NeverSendsFromTheBeginningAfterRest) {
  log_in();
  say("TYPE A");
  EXPECT_EQ(say("REST 5").substr(0, 4), "504 ");
  say("TYPE I");
  say("REST 5");
  say("TYPE A");
  passive();
  EXPECT_EQ(say("RETR x"), "554 TYPE A can't resume; use TYPE I, REST and RETR\n");
  EXPECT_EQ(say("APPE x").substr(0, 4), "554 ");
  EXPECT_EQ(say("RETR x"), "open 0 /x lines\n");
}

TEST_F(FtpSession, SaysAnUploadIsThereOnlyWhenItIs) {
  log_in();
  EXPECT_EQ(say("STOR a/"), "501 Name the file behind the last slash\n");
  EXPECT_EQ(say("RETR a\\"), "501 Name the file behind the last slash\n");
  EXPECT_EQ(say("ALLO 2000 R 80"), "200 The next file must have 2000 bytes\n");
  passive();
  EXPECT_EQ(say("STOR a/site.cfg"), "open 1 /a/site.cfg of 2000\n");
  EXPECT_EQ(step(Opened{std::string("Receiving 'a/site.cfg'")}),
            "150 Receiving 'a/site.cfg'\nbegin passive\n");
  EXPECT_EQ(step(Ended{Ended::How::kRefused, "", base::Refusal{Kind::kFull, "full"}}),
            "452 full\n");
  passive();
  EXPECT_EQ(say("STOR x"), "open 1 /x\n");
  step(Opened{base::refuse(Kind::kAccountNeeded, "an account is needed")});
  passive();
  clock_.advance(1s);
  say("STOU");
  EXPECT_EQ(step(Opened{std::string("")}).substr(0, 17), "150 FILE: upload-");
}

TEST_F(FtpSession, GoesBackOnlyToTheOneWhoAsks) {
  log_in();
  EXPECT_EQ(say("PORT 192,0,2,8,195,80").substr(0, 4), "504 ");
  EXPECT_EQ(say("PORT 192,0,2,7,0,25").substr(0, 4), "504 ");
  EXPECT_EQ(say("EPRT |1|192.0.2.8|50000|").substr(0, 4), "504 ");
  EXPECT_EQ(say("EPRT |1|192.0.2.7|1023|").substr(0, 4), "504 ");
  EXPECT_EQ(say("EPRT |2|2001:db8::7|50000|"), "522 Wrong kind of address, use (1)\n");
  EXPECT_EQ(say("EPRT |7|x|50000|"), "522 Wrong kind of address, use (1)\n");
  EXPECT_EQ(say("PORT 1,2,3").substr(0, 4), "501 ");
  EXPECT_EQ(say("RETR x").substr(0, 4), "425 ");
  EXPECT_EQ(say("PORT 192,0,2,7,195,80"), "200 Data connection to 192.0.2.7:50000\n");
  say("NLST");
  EXPECT_EQ(step(Opened{std::string("Listing")}), "150 Listing\nbegin 192.0.2.7:50000\n");
  EXPECT_EQ(step(Ended{Ended::How::kNoConnection, "None came", {}}), "425 None came\n");
}

TEST_F(FtpSession, SpeaksOfPortsAsEachAddressDoes) {
  log_in();
  EXPECT_EQ(say("EPSV"), "listen\n");
  EXPECT_EQ(step(Listening{*base::Endpoint::parse("192.0.2.10:50001")}),
            "229 Entering extended passive mode (|||50001|)\n");
  EXPECT_EQ(say("EPSV 2"), "522 Wrong kind of address, use (1)\n");
  EXPECT_EQ(say("EPSV 1"), "close listener\nlisten\n");
  EXPECT_EQ(step(Listening{base::refuse(Kind::kBusy, "no port is free")}),
            "425 no port is free\n");
  EXPECT_EQ(say("EPSV ALL").substr(0, 4), "200 ");
  for (const auto* one : {"PASV", "PORT 192,0,2,7,195,80", "EPRT |1|192.0.2.7|50000|"}) {
    EXPECT_EQ(say(one), "503 You said EPSV ALL: use EPSV\n") << one;
  }
  restart("[2001:db8::7]:40000");
  log_in();
  EXPECT_EQ(say("PASV"), "425 This connection is over IPv6: use EPSV\n");
  EXPECT_EQ(say("EPRT |2|2001:db8::7|50000|"),
            "200 Data connection to [2001:db8::7]:50000\n");
}

TEST_F(FtpSession, AbortsInTheMiddle) {
  log_in();
  transfer("RETR x");
  EXPECT_FALSE(session_->takes(parse_command("RETR y")));
  EXPECT_FALSE(session_->takes(parse_command("QUIT")));
  session_->progress({"Sending 'x'", 3, 5});
  EXPECT_NE(say("STAT").find("\n Sending 'x': 3 of 5 bytes\n"), std::string::npos);
  EXPECT_EQ(say("NOOP"), "200 Still here\n");
  EXPECT_EQ(say("ABOR"),
            "abort\n426 The transfer was ended\n"
            "226 No transfer is running\n");
  EXPECT_EQ(say("ABOR"), "226 No transfer is running\n");
  // What came too late is nobody's any more.
  EXPECT_EQ(step(Ended{Ended::How::kDone, "late", {}}), "");
}

TEST_F(FtpSession, AbortsBeforeWhatWaitsAndAnswersInOrder) {
  log_in();
  transfer("RETR x");
  Actions actions;
  session_->abort_ahead(actions);
  EXPECT_EQ(told(actions), "abort\n426 The transfer was ended\n");
  EXPECT_EQ(say("PWD"), "257 \"/\" is the current folder\n");
  EXPECT_EQ(say("ABOR"), "226 No transfer is running\n");
}

TEST_F(FtpSession, AgreesOnTls) {
  EXPECT_EQ(say("PBSZ 0").substr(0, 4), "503 ");
  EXPECT_EQ(say("PROT P").substr(0, 4), "503 ");
  EXPECT_EQ(say("AUTH KERBEROS_V4"),
            "504 'KERBEROS_V4' is not supported; use AUTH TLS\n");
  log_in();
  EXPECT_EQ(say("AUTH tls"), "234 Begin with TLS now\nstart tls\n");
  EXPECT_TRUE(session_->secure());
  EXPECT_FALSE(session_->logged_in());
  EXPECT_FALSE(session_->secure_data());
  EXPECT_EQ(say("AUTH TLS").substr(0, 4), "503 ");
  EXPECT_EQ(say("PROT P"), "503 PBSZ 0 comes first\n");
  EXPECT_EQ(say("PBSZ 16384"), "200 PBSZ=0\n");
  EXPECT_EQ(say("PROT S").substr(0, 4), "536 ");
  EXPECT_EQ(say("PROT P").substr(0, 4), "200 ");
  EXPECT_TRUE(session_->secure_data());
  EXPECT_EQ(say("PROT C").substr(0, 4), "200 ");
  EXPECT_FALSE(session_->secure_data());
  EXPECT_EQ(say("CCC").substr(0, 4), "533 ");
  EXPECT_EQ(say("ADAT x").substr(0, 4), "503 ");
  restart("192.0.2.7:40000", false);
  EXPECT_EQ(say("AUTH TLS").substr(0, 4), "534 ");
  EXPECT_EQ(say("FEAT").find("AUTH"), std::string::npos);
}

TEST_F(FtpSession, KnowsItsFormsOfData) {
  log_in();
  for (const auto* one :
       {"TYPE I", "type l 8", "TYPE A", "TYPE A N", "STRU F", "MODE S"}) {
    EXPECT_EQ(say(one).substr(0, 4), "200 ") << one;
  }
  for (const auto* one :
       {"TYPE E", "TYPE A T", "TYPE L 7", "STRU R", "STRU P", "MODE B", "MODE C"}) {
    EXPECT_EQ(say(one).substr(0, 4), "504 ") << one;
  }
  for (const auto* one : {"TYPE", "TYPE X", "STRU", "MODE Z", "ALLO x"}) {
    EXPECT_EQ(say(one).substr(0, 4), "501 ") << one;
  }
}

TEST_F(FtpSession, RefusesWhatIsNotDoneHereWithItsReason) {
  log_in();
  EXPECT_EQ(say("DELE x"),
            "550 Nothing is deleted over FTP: images are withdrawn with 'vantro image "
            "withdraw', backups are kept\n");
  EXPECT_EQ(say("RNFR x").substr(0, 4), "550 ");
  EXPECT_EQ(say("RNTO y").substr(0, 4), "503 ");
  EXPECT_EQ(say("RMD x").substr(0, 4), "550 ");
  EXPECT_EQ(say("SITE CHMOD 644 x"),
            "504 Unknown command 'SITE CHMOD 644 x'; use SITE HELP\n");
  EXPECT_EQ(say("SITE HELP").substr(0, 4), "214-");
  EXPECT_EQ(say("FROB\x01"),
            "500 Unknown command 'FROB\\x01'; HELP lists the commands\n");
  EXPECT_EQ(say(""), "");
  EXPECT_EQ(step(CameTooLong{}), "500 That line is too long for a command\n");
  EXPECT_EQ(say("OPTS UTF8 ON").substr(0, 4), "200 ");
  EXPECT_EQ(say("OPTS UTF8 OFF").substr(0, 4), "504 ");
  EXPECT_EQ(say("OPTS HASH SHA-1").substr(0, 4), "501 ");
}

TEST_F(FtpSession, ForgetsEverythingWithRein) {
  log_in();
  passive();
  say("TYPE A");
  EXPECT_EQ(say("REIN"), "close listener\n220 Forgotten; log in again\n");
  EXPECT_EQ(say("LIST").substr(0, 4), "530 ");
  log_in();
  EXPECT_EQ(say("LIST").substr(0, 4), "425 ");
  passive();
  EXPECT_EQ(say("LIST -la north"), "open 2 /north\n");
}

TEST_F(FtpSession, StopsAfterWhatRuns) {
  log_in();
  transfer("STOR x");
  EXPECT_EQ(step(Stopping{}), "");
  EXPECT_EQ(step(Ended{Ended::How::kDone, "Filed", {}}),
            "226 Filed\n421 The server is being stopped; try again in a minute\nclose\n");
  restart("192.0.2.7:40000");
  EXPECT_EQ(step(Stopping{}),
            "421 The server is being stopped; try again in a minute\nclose\n");
}

TEST_F(FtpSession, AnnouncesAnotherAddressBehindATranslator) {
  SessionConfig config;
  config.peer = *base::Endpoint::parse("192.0.2.7:40000");
  config.announced_address = base::Address::parse("203.0.113.5");
  session_ = std::make_unique<Session>(config);
  step(Started{});
  log_in();
  say("PASV");
  EXPECT_EQ(step(Listening{*base::Endpoint::parse("192.0.2.10:50001")}),
            "227 Entering passive mode (203,0,113,5,195,81)\n");
}

}  // namespace
}  // namespace vantro::wire::ftp
