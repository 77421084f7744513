// The API's shapes in a form for people. Shared by the commands and by watch.
#pragma once

#include <string>
#include <vector>

#include "api/catalogue.h"
#include "api/shapes.h"
#include "base/counted.h"
#include "client/table.h"
#include "client/terminal.h"

namespace vantro::client {

// "2026-11-23 02:14:07" in this machine's zone.
std::string shown_time(const std::string& iso);

// "31.4 MiB (32911360 bytes)", or "812 bytes".
std::string exact_size(std::uint64_t bytes);

// "1 image", "3 images"
using base::counted;

// Text from the server, safe on a terminal.
std::string shown(const std::string& text, std::size_t longest = 255);

// In a word or two: "vouched (weak)".
std::string vouching_text(const std::string& vouching);
Tone tone_of_vouching(const std::string& vouching);

// A fact's text for people; "none" where it is not known.
std::string fact_text(const std::string& fact, const std::string& text);

// "causeway.img to 192.0.2.0/24 over tftp until 2026-11-24 06:00:00"
std::string offer_text(const api::Offer& offer);

// "tidegate-rtr (192.0.2.7) as night-shift"; without empty parts.
std::string who_text(const std::string& peer, const std::string& device,
                     const std::string& account);

Table transfer_table(const std::vector<api::Transfer>& transfers);

// One line: "127.1.0.7 fetches x.img: complete, 31.4 MiB in 12 s".
std::string transfer_line(const api::Transfer& transfer);

Tone tone_of(const std::string& outcome);

}  // namespace vantro::client
