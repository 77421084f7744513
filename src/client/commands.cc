#include "client/commands.h"

#include "client/accounts.h"
#include "client/backups.h"
#include "client/canary.h"
#include "client/care.h"
#include "client/devices.h"
#include "client/export.h"
#include "client/images.h"
#include "client/jobs.h"
#include "client/kits.h"
#include "client/ledger.h"
#include "client/log_in.h"
#include "client/mirrors.h"
#include "client/nodes.h"
#include "client/offers.h"
#include "client/people.h"
#include "client/rescue.h"
#include "client/routes.h"
#include "client/server.h"
#include "client/unrecorded.h"
#include "client/verify.h"

namespace vantro::client {

void add_commands(const Command& top) {
  const auto looking = top.under("See what happens");
  status_command(looking);
  server_commands(looking);
  ledger_commands(looking);

  const auto images = top.under("Images and offers");
  image_commands(images);
  offer_commands(images);
  kit_commands(images);
  location_command(images);
  export_commands(images);

  const auto devices = top.under("Devices and their backups");
  device_commands(devices);
  site_commands(devices);
  backup_commands(devices);

  const auto changes = top.under("Change a device");
  job_commands(changes);
  route_commands(changes);
  canary_command(changes);

  const auto rescue = top.under("Recover a device");
  rescue_commands(rescue);
  push_command(rescue);

  const auto access = top.under("Who may do what");
  account_commands(access);
  people_commands(access);
  log_in_commands(access);

  const auto care = top.under("Run the server");
  care_commands(care);
  verify_command(care);
  unrecorded_commands(care);
  mirror_commands(care);
  node_commands(care);
}

}  // namespace vantro::client
