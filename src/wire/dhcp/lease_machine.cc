#include "wire/dhcp/lease_machine.h"

#include <algorithm>
#include <fmt/format.h>
#include <utility>

#include "base/visible_name.h"

namespace vantro::wire::dhcp {
namespace {

constexpr std::uint32_t kShortestLease = 60;  // seconds
constexpr std::size_t kMostInUse = 1024;
constexpr std::size_t kMostOthers = 64;
// Headers of IP and UDP, which option 57 counts.
constexpr std::size_t kHeads = 28;
constexpr std::size_t kShortestSerial = 4;

std::uint32_t mask_of(unsigned prefix) {
  return prefix == 0 ? 0 : ~std::uint32_t{0} << (32 - prefix);
}

std::string folded_text(base::ByteView bytes) {
  return base::folded(base::as_text(bytes));
}

void replace(std::string& text, std::string_view what, const std::string& with) {
  for (std::size_t at = text.find(what); at != std::string::npos;
       at = text.find(what, at + with.size())) {
    text.replace(at, what.size(), with);
  }
}

}  // namespace

LeaseMachine::LeaseMachine(LeasePlan plan) : plan_(std::move(plan)) {}

void LeaseMachine::step(const Event& event, base::Instant now, Actions& actions) {
  expire(now);
  std::visit([&](const auto& one) { on(one, now, actions); }, event);
}

std::optional<base::Instant> LeaseMachine::deadline() const {
  if (due_.empty()) return std::nullopt;
  return due_.begin()->first;
}

void LeaseMachine::set_until(Lease& lease, base::Instant until) {
  due_.erase({lease.until, lease.client.name});
  lease.until = until;
  due_.emplace(until, lease.client.name);
}

void LeaseMachine::drop(const std::string& client) {
  const auto found = by_client_.find(client);
  if (found == by_client_.end()) return;
  due_.erase({found->second.until, client});
  // A client that never took its offer leaves the place to the next.
  if (first_ == client && !found->second.was_bound) first_.clear();
  by_address_.erase(found->second.address);
  by_client_.erase(found);
}

void LeaseMachine::expire(base::Instant now) {
  std::vector<std::string> over;
  for (const auto& [until, client] : due_) {
    if (until > now) break;
    if (by_client_.at(client).state != State::kProbing) over.push_back(client);
  }
  for (const auto& client : over) drop(client);
  std::erase_if(in_use_, [&](const auto& one) { return one.second <= now; });
}

const Guest* LeaseMachine::guest_of(const Message& message) const {
  const auto link = message.link_address();
  for (const auto& guest : plan_.guests) {
    if (guest.link && link && *guest.link == *link) return &guest;
  }
  for (const auto& guest : plan_.guests) {
    if (guest.serial.size() < kShortestSerial) continue;
    const auto serial = base::folded(guest.serial);
    for (const auto code :
         {option::kHostName, option::kVendorClass, option::kClientId,
          option::kVendorIdentifyingClass, option::kVendorIdentifyingInformation}) {
      const auto* bytes = message.find(code);
      if (bytes != nullptr && folded_text(*bytes).find(serial) != std::string::npos) {
        return &guest;
      }
    }
  }
  return nullptr;
}

Client LeaseMachine::client_of(const Message& message) const {
  Client client;
  client.link = message.link_address();
  if (client.link && (client.link->is_zero() || client.link->is_group())) {
    client.link.reset();
  }
  const auto* identifier = message.find(option::kClientId);
  if (client.link) {
    client.name = client.link->text();
  } else if (identifier != nullptr && !identifier->empty()) {
    client.name = base::to_hex(*identifier);
  }
  client.vendor_class = base::printable(message.text(option::kVendorClass), 64);
  client.host_name = base::printable(message.text(option::kHostName), 64);
  for (const auto& one : user_classes(message)) {
    client.user_classes.push_back(base::printable(one, 64));
  }
  client.architecture = message.number16(option::kArchitecture);
  client.bootp = !message.type();
  if (const auto* guest = guest_of(message)) {
    client.serial = guest->serial;
    client.device = guest->device;
  }
  return client;
}

std::string LeaseMachine::turned_away(const Client& client) const {
  if (by_client_.contains(client.name)) return "";
  switch (plan_.admission) {
    case Admission::kAnybody:
      return "";
    case Admission::kGuests:
      for (const auto& guest : plan_.guests) {
        const bool same_link = guest.link && client.link && *guest.link == *client.link;
        if (same_link || (!guest.serial.empty() && guest.serial == client.serial)) {
          return "";
        }
      }
      return "this session does not serve its link address";
    case Admission::kFirst:
      if (first_.empty() || first_ == client.name) return "";
      return fmt::format("this session serves the first device that asked, {}", first_);
  }
  return "";
}

std::string LeaseMachine::file_for(const Client& client) const {
  for (const auto& one : plan_.files) {
    if (one.architecture && one.architecture != client.architecture) continue;
    if (!one.user_class.empty() &&
        std::find(client.user_classes.begin(), client.user_classes.end(),
                  one.user_class) == client.user_classes.end()) {
      continue;
    }
    if (!client.vendor_class.starts_with(one.vendor_class)) continue;
    auto file = one.file;
    replace(file, "{link}", client.name);
    replace(file, "{serial}", client.serial);
    replace(file, "{device}", client.device);
    return file;
  }
  return "";
}

bool LeaseMachine::usable(const base::Address& address, const Client& client,
                          base::Instant now) const {
  if (address == plan_.server) return false;
  const auto in_use = in_use_.find(address);
  if (in_use != in_use_.end() && in_use->second > now) return false;
  const auto taken = by_address_.find(address);
  if (taken != by_address_.end() && taken->second != client.name) return false;
  // A guest's address is for nobody else.
  for (const auto& guest : plan_.guests) {
    if (guest.address != address) continue;
    const bool own = (guest.link && client.link && *guest.link == *client.link) ||
                     (!guest.serial.empty() && guest.serial == client.serial);
    if (!own) return false;
  }
  return true;
}

std::uint32_t LeaseMachine::lease_seconds(base::Instant now) const {
  auto time = plan_.lease;
  if (plan_.ends) time = std::min(time, *plan_.ends - now);
  const auto seconds = std::chrono::duration_cast<std::chrono::seconds>(time).count();
  return static_cast<std::uint32_t>(std::max<std::int64_t>(seconds, kShortestLease));
}

Message LeaseMachine::answer_to(const Message& message, const Client& client,
                                const std::optional<base::Address>& yours,
                                std::optional<Type> type, base::Instant now) const {
  Message answer;
  answer.reply = true;
  answer.hardware_type = message.hardware_type;
  answer.hardware_length = message.hardware_length;
  answer.hardware = message.hardware;
  answer.transaction = message.transaction;
  answer.broadcast = message.broadcast;
  answer.relay = message.relay;
  answer.has_options = message.has_options;
  if (type) answer.add_number8(option::kMessageType, static_cast<std::uint8_t>(*type));
  if (type) answer.add_addresses(option::kServer, {plan_.server});
  const auto echo = [&](std::uint8_t code) {
    if (const auto* bytes = message.find(code)) answer.add(code, *bytes);
  };
  if (type == Type::kNak) {
    echo(option::kClientId);
    echo(option::kRelayInformation);
    return answer;
  }
  if (yours) answer.yours = *yours;
  if (type == Type::kAck) answer.client = message.client;
  if (type && yours) {
    const auto lease = lease_seconds(now);
    answer.add_number32(option::kLeaseTime, lease);
    answer.add_number32(option::kRenewalTime, lease / 2);
    answer.add_number32(option::kRebindingTime, lease / 8 * 7);
  }
  const auto mask = mask_of(plan_.prefix);
  answer.add_number32(option::kSubnetMask, mask);
  if (!plan_.routers.empty()) answer.add_addresses(option::kRouters, plan_.routers);
  // Boot loaders differ in where they look for the file and its server, so both are in
  // both places.
  const auto file = file_for(client);
  answer.next_server = plan_.server;
  answer.server_name = plan_.server.text();
  // The field has space for 127; a longer name is in the option alone.
  constexpr std::size_t kLongestInField = 127;
  if (file.size() <= kLongestInField) answer.file = file;
  answer.add_text(option::kTftpServerName, plan_.server.text());
  if (!file.empty()) answer.add_text(option::kBootFile, file);
  answer.add_addresses(option::kTftpServers, plan_.tftp_servers.empty()
                                                 ? std::vector{plan_.server}
                                                 : plan_.tftp_servers);
  answer.add_number32(option::kBroadcastAddress, plan_.server.v4_host_order() | ~mask);
  if (!plan_.name_servers.empty()) {
    answer.add_addresses(option::kNameServers, plan_.name_servers);
  }
  if (!plan_.vendor_class.empty()) {
    answer.add_text(option::kVendorClass, plan_.vendor_class);
  }
  if (!plan_.vendor.empty()) answer.add(option::kVendorInformation, plan_.vendor);
  if (!plan_.vendor_by_number.empty()) {
    answer.add(option::kVendorIdentifyingInformation, plan_.vendor_by_number);
  }
  if (!client.device.empty()) answer.add_text(option::kHostName, client.device);
  if (!plan_.domain.empty()) answer.add_text(option::kDomainName, plan_.domain);
  if (!plan_.time_servers.empty()) {
    answer.add_addresses(option::kTimeServers, plan_.time_servers);
  }
  echo(option::kMachineId);
  echo(option::kClientId);          // RFC 6842
  echo(option::kRelayInformation);  // RFC 3046, 2.2: as the last one
  return answer;
}

// RFC 2131, 4.1.
void LeaseMachine::send(Message answer, const Heard& event, Actions& actions) const {
  const auto& message = event.message;
  Reply reply;
  const bool refusal = answer.type() == Type::kNak;
  if (message.type()) {
    const auto wanted = message.number16(option::kLargestMessage).value_or(0);
    reply.longest = std::clamp<std::size_t>(wanted > kHeads ? wanted - kHeads : 0,
                                            kUsualMessage, kLargestMessage);
  } else {
    reply.longest = kShortestMessage;
  }
  const auto to_client = message.link_address().value_or(base::LinkAddress::everybody());
  if (!message.relay.is_unspecified()) {
    reply.to_link = event.from_link;
    reply.to = {message.relay, kServerPort};
    // The relay must broadcast it, as the client has no address (RFC 2131, 4.3.2).
    if (refusal) answer.broadcast = true;
  } else if (refusal) {
    reply.to_link = base::LinkAddress::everybody();
    reply.to = {base::Address::v4(0xffffffff), kClientPort};
  } else if (!message.client.is_unspecified()) {
    reply.to_link = to_client;
    reply.to = {message.client, kClientPort};
  } else if (message.broadcast || answer.yours.is_unspecified() ||
             !message.link_address()) {
    reply.to_link = base::LinkAddress::everybody();
    reply.to = {base::Address::v4(0xffffffff), kClientPort};
  } else {
    reply.to_link = to_client;
    reply.to = {answer.yours, kClientPort};
  }
  reply.message = std::move(answer);
  actions.emplace_back(std::move(reply));
}

void LeaseMachine::tell_refused(const Client& client, const std::string& why,
                                base::Instant now, Actions& actions) {
  if (const auto told = refused_.find(client.name);
      told != refused_.end() && now - told->second < kTellAgain) {
    return;
  }
  if (refused_.size() >= kMostRefused) {
    std::erase_if(refused_,
                  [&](const auto& one) { return now - one.second >= kTellAgain; });
    // The limit of reports within a minute.
    if (refused_.size() >= kMostRefused) return;
  }
  refused_[client.name] = now;
  actions.emplace_back(Told{Told::What::kRefused, client, {}, "", "", why});
}

void LeaseMachine::on(const Heard& event, base::Instant now, Actions& actions) {
  const auto& message = event.message;
  if (message.reply) {
    server_heard(message, now, actions);
    return;
  }
  const auto client = client_of(message);
  if (client.name.empty()) return;
  if (!message.relay.is_unspecified() && !plan_.relays) {
    tell_refused(client,
                 fmt::format("its request came through the relay {}; this session serves "
                             "its own wire only",
                             message.relay.text()),
                 now, actions);
    return;
  }
  const auto type = message.type();
  // Types of later standards are not for this server; a message without a type is BOOTP.
  if (!type && message.find(option::kMessageType) != nullptr) return;
  if (type == Type::kOffer || type == Type::kAck || type == Type::kNak) return;
  if (type == Type::kRelease) {
    const auto lease = by_client_.find(client.name);
    if (lease == by_client_.end() || lease->second.address != message.client) return;
    actions.emplace_back(
        Told{Told::What::kReleased, client, lease->second.address, "", "", ""});
    // Reserved for it until an offer would expire: between two stages of one boot.
    lease->second.state = State::kOffered;
    set_until(lease->second, std::min(lease->second.until, now + kOfferStands));
    return;
  }
  if (auto why = turned_away(client); !why.empty()) {
    tell_refused(client, why, now, actions);
    return;
  }
  if (!type || type == Type::kDiscover) {
    discover(event, client, now, actions);
  } else if (type == Type::kRequest) {
    request(event, client, now, actions);
  } else if (type == Type::kDecline) {
    decline(event, client, now, actions);
  } else if (type == Type::kInform) {
    inform(event, client, now, actions);
  }
}

void LeaseMachine::server_heard(const Message& message, base::Instant now,
                                Actions& actions) {
  const auto server = message.address(option::kServer).value_or(message.next_server);
  if (server == plan_.server || server.is_unspecified()) return;
  if (const auto told = others_.find(server);
      told != others_.end() && now - told->second < kTellAgain) {
    return;
  }
  if (others_.size() >= kMostOthers) others_.clear();
  others_[server] = now;
  actions.emplace_back(
      Told{Told::What::kOtherServer, client_of(message), {}, "", server.text(), ""});
}

void LeaseMachine::discover(const Heard& event, const Client& client, base::Instant now,
                            Actions& actions) {
  const auto found = by_client_.find(client.name);
  if (found != by_client_.end()) {
    auto& lease = found->second;
    lease.client = client;
    if (lease.state == State::kProbing) {
      lease.asked = event;
      return;
    }
    actions.emplace_back(
        Told{Told::What::kAsked, client, lease.address, file_for(client), "", ""});
    lease.asked = event;
    is_free(lease, now, actions);
    return;
  }
  actions.emplace_back(Told{Told::What::kAsked, client, {}, file_for(client), "", ""});
  if (!choose(event, client, now, actions)) {
    tell_refused(client, "no free address", now, actions);
  }
}

bool LeaseMachine::choose(const Heard& event, const Client& client, base::Instant now,
                          Actions& actions) {
  const auto take = [&](const base::Address& address) {
    Lease lease;
    lease.client = client;
    lease.address = address;
    lease.asked = event;
    if (first_.empty()) first_ = client.name;
    auto& kept = by_client_[client.name] = std::move(lease);
    set_until(kept, now + kProbeTime);
    by_address_[address] = client.name;
    actions.emplace_back(ProbeAddress{address});
    return true;
  };
  const auto* guest = guest_of(event.message);
  if (guest != nullptr && guest->address && usable(*guest->address, client, now)) {
    return take(*guest->address);
  }
  // The one that it had before, if it is free (RFC 2131, 4.3.1).
  const auto wanted = event.message.address(option::kRequestedAddress);
  if (wanted &&
      std::find(plan_.pool.begin(), plan_.pool.end(), *wanted) != plan_.pool.end() &&
      usable(*wanted, client, now)) {
    return take(*wanted);
  }
  for (const auto& address : plan_.pool) {
    if (usable(address, client, now)) return take(address);
  }
  return false;
}

void LeaseMachine::is_free(Lease& lease, base::Instant now, Actions& actions) {
  const auto event = std::exchange(lease.asked, std::nullopt);
  if (!event) return;
  const bool bootp = !event->message.type();
  const auto& client = lease.client;
  // A client of BOOTP sends nothing more: the address is its own from then on.
  if (bootp) {
    lease.state = State::kBound;
    lease.was_bound = true;
    set_until(lease, now + std::chrono::seconds(lease_seconds(now)));
  } else if (lease.state == State::kBound) {
    // It began again. Its lease goes on, as it may still use the address.
  } else {
    lease.state = State::kOffered;
    set_until(lease, now + kOfferStands);
  }
  send(answer_to(event->message, client, lease.address,
                 bootp ? std::optional<Type>() : Type::kOffer, now),
       *event, actions);
  actions.emplace_back(Told{bootp ? Told::What::kGiven : Told::What::kOffered, client,
                            lease.address, file_for(client), "", ""});
}

void LeaseMachine::request(const Heard& event, const Client& client, base::Instant now,
                           Actions& actions) {
  const auto& message = event.message;
  const auto found = by_client_.find(client.name);
  const auto server = message.address(option::kServer);
  if (server && *server != plan_.server) {
    chose_other(client, *server, actions);
    return;
  }
  auto wanted = message.address(option::kRequestedAddress);
  if (!wanted && !message.client.is_unspecified()) wanted = message.client;
  if (!wanted) return;
  const bool known = found != by_client_.end() && found->second.state != State::kProbing;
  if (known && found->second.address == *wanted) {
    found->second.client = client;
    acknowledge(found->second, event, now, actions);
    return;
  }
  // It remembers an address from before, or one that was not offered to it. After a
  // refusal it asks again at once.
  refuse_request(
      event, client,
      fmt::format("it asked for {}, which is not its address here", wanted->text()), now,
      actions);
}

void LeaseMachine::chose_other(const Client& client, const base::Address& server,
                               Actions& actions) {
  const auto found = by_client_.find(client.name);
  if (found == by_client_.end() || found->second.state == State::kProbing) return;
  const auto address = found->second.address;
  drop(client.name);
  actions.emplace_back(
      Told{Told::What::kChoseOther, client, address, "", server.text(), ""});
}

void LeaseMachine::acknowledge(Lease& lease, const Heard& event, base::Instant now,
                               Actions& actions) {
  const bool renewal = lease.state == State::kBound;
  lease.state = State::kBound;
  lease.was_bound = true;
  set_until(lease, now + std::chrono::seconds(lease_seconds(now)));
  send(answer_to(event.message, lease.client, lease.address, Type::kAck, now), event,
       actions);
  // A second one within one boot is a repetition: the first answer was lost.
  const bool renews = renewal && !event.message.client.is_unspecified();
  actions.emplace_back(Told{renews ? Told::What::kRenewed : Told::What::kGiven,
                            lease.client, lease.address, file_for(lease.client), "", ""});
}

void LeaseMachine::refuse_request(const Heard& event, const Client& client,
                                  const std::string& why, base::Instant now,
                                  Actions& actions) {
  send(answer_to(event.message, client, std::nullopt, Type::kNak, now), event, actions);
  tell_refused(client, why, now, actions);
}

void LeaseMachine::decline(const Heard& event, const Client& client, base::Instant now,
                           Actions& actions) {
  const auto found = by_client_.find(client.name);
  const auto address = event.message.address(option::kRequestedAddress);
  if (found == by_client_.end() || !address || found->second.address != *address) return;
  drop(client.name);
  if (in_use_.size() < kMostInUse) in_use_[*address] = now + kInUseFor;
  actions.emplace_back(Told{Told::What::kDeclined, client, *address, "", "", ""});
}

void LeaseMachine::inform(const Heard& event, const Client& client, base::Instant now,
                          Actions& actions) {
  if (event.message.client.is_unspecified()) return;
  send(answer_to(event.message, client, std::nullopt, Type::kAck, now), event, actions);
}

void LeaseMachine::on(const AddressInUse& event, base::Instant now, Actions& actions) {
  const auto holder = by_address_.find(event.address);
  if (holder == by_address_.end()) return;
  auto& lease = by_client_.at(holder->second);
  if (lease.state != State::kProbing) return;
  // The device itself: it has kept the address from before.
  if (lease.client.link && *lease.client.link == event.by) return;
  const auto client = lease.client;
  const auto asked = std::move(lease.asked);
  drop(client.name);
  if (in_use_.size() < kMostInUse) in_use_[event.address] = now + kInUseFor;
  actions.emplace_back(
      Told{Told::What::kInUse, client, event.address, "", event.by.text(), ""});
  if (asked && !choose(*asked, client, now, actions)) {
    tell_refused(client, "no free address", now, actions);
  }
}

void LeaseMachine::on(const DeadlinePassed&, base::Instant now, Actions& actions) {
  std::vector<std::string> probed;
  for (const auto& [until, client] : due_) {
    if (until > now) break;
    if (by_client_.at(client).state == State::kProbing) probed.push_back(client);
  }
  for (const auto& client : probed) is_free(by_client_.at(client), now, actions);
}

namespace {

std::string about(const Client& client) {
  std::vector<std::string> words;
  if (!client.device.empty()) words.push_back(client.device);
  if (client.bootp) words.emplace_back("BOOTP");
  if (client.architecture) {
    words.push_back("architecture " + architecture_name(*client.architecture));
  }
  for (const auto& one : client.user_classes) words.push_back(one);
  if (!client.vendor_class.empty()) words.push_back(client.vendor_class);
  if (words.empty()) return client.name;
  return fmt::format("{} ({})", client.name, fmt::join(words, ", "));
}

}  // namespace

std::string sentence(const Told& told) {
  using What = Told::What;
  const auto address = told.address ? told.address->text() : std::string();
  switch (told.what) {
    case What::kAsked:
      return fmt::format("{} asked for an address", about(told.client));
    case What::kOffered:
      return fmt::format("{} was offered to {}", address, told.client.name);
    case What::kGiven:
      return told.file.empty() ? fmt::format("{} got {}", told.client.name, address)
                               : fmt::format("{} got {}, and the file name '{}'",
                                             told.client.name, address, told.file);
    case What::kRenewed:
      return fmt::format("{} keeps {}", told.client.name, address);
    case What::kRefused:
      return fmt::format("{} got no address: {}", about(told.client), told.why);
    case What::kReleased:
      return fmt::format("{} gave {} back", told.client.name, address);
    case What::kDeclined:
      return fmt::format("{} found {} in use by somebody else", told.client.name,
                         address);
    case What::kInUse:
      return fmt::format("{} is in use by {}, so {} gets another one", address,
                         told.other, told.client.name);
    case What::kChoseOther:
      return fmt::format("{} accepted the offer of the address server {}",
                         told.client.name, told.other);
    case What::kOtherServer:
      return fmt::format("another address server, {}, answers on this wire", told.other);
  }
  return "";
}

}  // namespace vantro::wire::dhcp
