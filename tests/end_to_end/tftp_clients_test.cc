// TFTP with clients that this project did not write: curl, tftp-hpa and atftp.
#include <fmt/format.h>

#include "tests/end_to_end/lossy_relay.h"
#include "tests/end_to_end/plain_tftp_server.h"
#include "tests/end_to_end/server_fixture.h"

namespace vantro::end_to_end {
namespace {

struct Client {
  const char* name;
  std::size_t block;
  // The command that fetches NAME into FILE, or sends FILE as NAME, and what it reads.
  std::function<Arguments(const std::string&host, int port, const std::string&name,
                          const std::string&file)>
      fetch, send;
  std::function<std::string(const std::string&name, const std::string&file)> fetch_input,
      send_input;
};

std::string url(const std::string& host, int port, const std::string& name) {
  return "tftp://" + host + ":" + std::to_string(port) + "/" + name;
}

Client curl(std::size_t block, bool options) {
  const Arguments start =
      options
          ? Arguments{"curl", "-sS", "-m", "50", "--tftp-blksize", std::to_string(block)}
          : Arguments{"curl", "-sS", "-m", "50", "--tftp-no-options"};
  return {"curl",
          block,
          [start](auto& host, int port, auto& name, auto& file) {
            auto command = start;
            command.insert(command.end(), {"-o", file, url(host, port, name)});
            return command;
          },
          [start](auto& host, int port, auto& name, auto& file) {
            auto command = start;
            command.insert(command.end(), {"-T", file, url(host, port, name)});
            return command;
          },
          {},
          {}};
}

Client tftp_hpa() {
  const auto command = [](auto& host, int port, auto&, auto&) {
    return Arguments{"tftp", host, std::to_string(port)};
  };
  return {"tftp-hpa",
          512,
          command,
          command,
          [](auto& name, auto& file) {
            return "mode octet\nget " + name + " " + file + "\nquit\n";
          },
          [](auto& name, auto& file) {
            return "mode octet\nput " + file + " " + name + "\nquit\n";
          }};
}

Client atftp(std::size_t block, int window = 1) {
  const auto command = [block, window](const char* direction) {
    return [block, window, direction](auto& host, int port, auto& name, auto& file) {
      return Arguments{
          "atftp",
          "--option",
          "blksize " + std::to_string(block),
          "--option",
          window > 1 ? "windowsize " + std::to_string(window) : "tsize enable",
          direction,
          "-r",
          name,
          "-l",
          file,
          host,
          std::to_string(port)};
    };
  };
  return {"atftp", block, command("-g"), command("-p"), {}, {}};
}

Client busybox(std::size_t block) {
  const auto command = [block](const char* direction) {
    return [block, direction](auto& host, int port, auto& name, auto& file) {
      return Arguments{"busybox", "tftp", direction, "-b", std::to_string(block), "-r",
                       name,      "-l",   file,      host, std::to_string(port)};
    };
  };
  return {"busybox", block, command("-g"), command("-p"), {}, {}};
}

class TftpClients : public ServerFixture {
 protected:
  void fetch_and_send(const Client& client, std::size_t size) {
    SCOPED_TRACE(std::string(client.name) + ", block " + std::to_string(client.block) +
                 ", size " + std::to_string(size));
    const auto bytes = fakes::noise(size, static_cast<unsigned>(size) + 3);
    const auto given = scratch_ / "given";
    fakes::write_file(given, bytes);
    const auto as = "backup-" + std::to_string(size) + ".cfg";
    const auto sent = run(client.send(tftp_host(), tftp_port_, as, given), {},
                          client.send_input ? client.send_input(as, given) : "");
    EXPECT_EQ(sent.code, 0) << sent.err;
    EXPECT_TRUE(fakes::same_bytes(saved("127.0.0.1", as), bytes));

    if (size == 0) return;  // there is no image of 0 bytes
    const auto name = "image-" + std::to_string(size) + ".img";
    take_in(name, bytes);
    const auto got = scratch_ / "got";
    std::filesystem::remove(got);
    const auto fetched = run(client.fetch(tftp_host(), tftp_port_, name, got), {},
                             client.fetch_input ? client.fetch_input(name, got) : "");
    EXPECT_EQ(fetched.code, 0) << fetched.err;
    EXPECT_TRUE(fakes::same_bytes(fakes::read_file(got), bytes));
  }
  void all_sizes(const Client& client) {
    const auto b = client.block;
    for (const std::size_t size :
         {std::size_t{0}, std::size_t{1}, b - 1, b, b + 1, 2 * b, 7 * b + 5}) {
      fetch_and_send(client, size);
    }
    for (const auto& row : ledger()) {
      EXPECT_NE(row["outcome"], "failed") << row;
      EXPECT_NE(row["outcome"], "abandoned") << row;
    }
  }
};

TEST_F(TftpClients, CurlWithoutOptions) { all_sizes(curl(512, false)); }
TEST_F(TftpClients, CurlWithOptions) { all_sizes(curl(1428, true)); }
TEST_F(TftpClients, CurlWithLargeBlocks) { all_sizes(curl(8192, true)); }
TEST_F(TftpClients, TftpHpa) { all_sizes(tftp_hpa()); }
TEST_F(TftpClients, Atftp) { all_sizes(atftp(1428)); }

TEST_F(TftpClients, AtftpWithWindows) { all_sizes(atftp(1428, 8)); }
// A client that was written by others acknowledges whole windows only, tells a gap once,
// and then says nothing until it gets the block that it waits for.
TEST_F(TftpClients, AtftpOverALossyNetwork) {
  const auto bytes = fakes::noise(4'000'003, 5);
  const auto blocks = bytes.size() / 1428 + 1;
  take_in("x.img", bytes);
  struct Case {
    unsigned loss;  // of a thousand
    int window;
    double most_times;  // the blocks that go out, of those that are there
  };
  for (const auto& one : {Case{1, 64, 1.5}, Case{10, 1, 1.2}, Case{10, 16, 1.6},
                          Case{10, 64, 3}, Case{20, 64, 4}, Case{50, 64, 9}}) {
    LossyRelay relay(tftp_port_, one.loss, 7);
    const auto got = scratch_ / "got";
    std::filesystem::remove(got);
    const auto began = std::chrono::steady_clock::now();
    const auto fetched =
        run(atftp(1428, one.window).fetch("127.0.0.1", relay.port(), "x.img", got));
    const auto took = std::chrono::steady_clock::now() - began;
    SCOPED_TRACE(testing::Message()
                 << one.loss << " of 1000 lost, window " << one.window << ": "
                 << relay.data() << " blocks of " << blocks << " in "
                 << std::chrono::duration<double>(took).count() << " s");
    EXPECT_EQ(fetched.code, 0) << fetched.err;
    EXPECT_TRUE(fakes::same_bytes(fakes::read_file(got), bytes));
    EXPECT_LE(static_cast<double>(relay.data()),
              one.most_times * static_cast<double>(blocks));
    // It was more than a minute and a half for each of the lossy ones.
    EXPECT_LT(took, std::chrono::seconds(40));
  }
}

// Beside a sender that is as plain as can be: a window from the loss on, and the same
// again after a fixed time of silence. Over real sockets much is chance, so the sums
// count.
TEST_F(TftpClients, AtftpIsServedAsFastAsByAPlainSender) {
  using std::chrono::milliseconds;
  const auto bytes = fakes::noise(600'000, 5);
  take_in("x.img", bytes);
  struct Case {
    unsigned loss;  // of a thousand
    int window;
    milliseconds way;
  };
  struct Cost {
    bool whole;
    double seconds;
    std::size_t data;
  };
  const auto fetch = [&](int port, const Case& one, int seconds) {
    LossyRelay relay(port, one.loss, 7, one.way);
    const auto got = scratch_ / "got";
    std::filesystem::remove(got);
    const auto began = std::chrono::steady_clock::now();
    auto command = atftp(1428, one.window).fetch("127.0.0.1", relay.port(), "x.img", got);
    command.insert(command.begin(), {"timeout", std::to_string(seconds)});
    const auto fetched = run(command, {}, "", "", std::chrono::seconds(seconds + 60));
    const std::chrono::duration<double> took = std::chrono::steady_clock::now() - began;
    return Cost{fetched.code == 0 && fakes::same_bytes(file("got"), bytes), took.count(),
                relay.data()};
  };
  Cost ours{true, 0, 0};
  Cost plain{true, 0, 0};
  int compared = 0;
  std::string told;
  for (const auto& one :
       {Case{10, 16, milliseconds(0)}, Case{10, 16, milliseconds(25)},
        Case{10, 64, milliseconds(0)}, Case{10, 64, milliseconds(25)},
        Case{50, 16, milliseconds(0)}, Case{50, 64, milliseconds(0)},
        Case{1, 64, milliseconds(100)}, Case{100, 16, milliseconds(0)}}) {
    auto a = fetch(tftp_port_, one, 120);
    const PlainTftpServer server(bytes, 2 * one.way + milliseconds(200));
    const auto b = fetch(server.port(), one, 12);
    if (a.whole && a.seconds > 1.2 * b.seconds + 3) {
      // A busy machine holds a datagram up now and then, and nobody as often twice.
      const auto again = fetch(tftp_port_, one, 120);
      if (again.whole && again.seconds < a.seconds) a = again;
    }
    told += fmt::format(
        "{} of 1000 lost, window {}, {} ms: ours {:.1f} s and {} blocks, plain {:.1f} s "
        "and {}{}\n",
        one.loss, one.window, one.way.count(), a.seconds, a.data, b.seconds, b.data,
        b.whole ? "" : ", and gave up");
    EXPECT_TRUE(a.whole) << told;
    // This client resends nothing while it hears anything, which the plain one does not
    // always survive.
    if (!b.whole) continue;
    ++compared;
    ours.seconds += a.seconds;
    ours.data += a.data;
    plain.seconds += b.seconds;
    plain.data += b.data;
  }
  EXPECT_GE(compared, 4) << told;
  EXPECT_LE(ours.seconds, 1.2 * plain.seconds + 3) << told;
  EXPECT_LE(static_cast<double>(ours.data), 1.1 * static_cast<double>(plain.data))
      << told;
}

TEST_F(TftpClients, Busybox) { all_sizes(busybox(512)); }
TEST_F(TftpClients, BusyboxWithBlocks) { all_sizes(busybox(1428)); }
TEST_F(TftpClients, CurlWithTheLargestBlocks) { all_sizes(curl(65464, true)); }

TEST_F(TftpClients, TextInNetasciiComesBackAsItWas) {
  // Line ends of both kinds, and a pair across the border of two blocks.
  std::string text;
  while (text.size() < 5000)
    text += "line " + std::to_string(text.size()) + "\nnext\r\nlone\r";
  take_in("x.txt", text);
  const auto got = run({"tftp", tftp_host(), std::to_string(tftp_port_)}, {},
                       "mode ascii\nget x.txt " + (scratch_ / "got") + "\nquit\n");
  EXPECT_EQ(fakes::read_file(scratch_ / "got"), text) << got.out << got.err;
  run({"tftp", tftp_host(), std::to_string(tftp_port_)}, {},
      "mode ascii\nput " + (scratch_ / "got") + " y.txt\nquit\n");
  EXPECT_EQ(saved("127.0.0.1", "y.txt"), text);
}

TEST_F(TftpClients, MoreBlocksThanABlockNumberCounts) {
  // 70,000 blocks of 512 bytes: the number wraps past 65,535 to 0.
  fetch_and_send(curl(512, false), 70'000 * 512 + 1);
}

TEST_F(TftpClients, ManyAtOnceGetTheirOwnBytes) {
  std::vector<std::unique_ptr<Process>> processes;
  for (unsigned i = 0; i < 20; ++i) {
    const auto name = "image-" + std::to_string(i) + ".img";
    take_in(name, fakes::noise(200'000 + i, i));
    processes.push_back(std::make_unique<Process>(
        Arguments{"curl", "-sS", "-m", "50", "-o", scratch_ / name, tftp_url(name)},
        Environment{}, scratch_ / "out", scratch_ / "err"));
  }
  for (auto& process : processes) EXPECT_EQ(process->wait(), 0);
  for (unsigned i = 0; i < 20; ++i) {
    EXPECT_TRUE(fakes::same_bytes(
        fakes::read_file(scratch_ / ("image-" + std::to_string(i) + ".img")),
        fakes::noise(200'000 + i, i)));
  }
}

TEST_F(TftpClients, ARefusalReachesTheConsoleAndNamesTheNearest) {
  take_in("causeway4-system-7.6.0.img", "bytes");
  const auto refused = run(
      {"tftp", tftp_host(), std::to_string(tftp_port_)}, {},
      "mode octet\nget causeway4-sytsem-7.6.0.img " + (scratch_ / "got") + "\nquit\n");
  EXPECT_NE(
      refused.out.find("Error code 1: 'causeway4-sytsem-7.6.0.img' is not on offer; "
                       "nearest: 'causeway4-system-7.6.0.img'"),
      std::string::npos)
      << refused.out << refused.err;
}

TEST_F(TftpClients, ASlashInFrontAndLetterCaseAreForgiven) {
  take_in("x-system-1.img", "bytes");
  for (const auto* typed : {"x-system-1.img", "/x-system-1.img", "./X-System-1.IMG"}) {
    const auto got = run({"curl", "-sS", "-m", "60", "--path-as-is", tftp_url(typed)});
    EXPECT_EQ(got.out, "bytes") << typed;
  }
}

}  // namespace
}  // namespace vantro::end_to_end
