// What stands on a set, as this program would talk to it. The simulated ones (simulate/stand_ins.h) ship with
// the application; real ones would sit behind the same interfaces.
#pragma once
#include <filesystem>
#include <optional>
#include <string>

#include "base/progress.h"
#include "base/units.h"
#include "shoot/slate_code.h"

namespace edge {

struct CameraSettings {
  std::string body, mode;
  double iso = 800;  // as named
  TStop aperture{4};
  Seconds shutter{0.02};
  Density nd{0};
  bool cap = false;
};

class CameraDevice {
 public:
  virtual ~CameraDevice() = default;
  virtual void set(const CameraSettings& settings) = 0;
  [[nodiscard]] virtual CameraSettings settings() const = 0;
  // Rolls one clip into the folder that the camera writes to; a slate is held before the lens first. Errors:
  // no such body or mode, no room.
  virtual std::filesystem::path roll(const std::optional<QrSymbol>& slate, const Progress& progress) = 0;
};

class LightMeterDevice {
 public:
  virtual ~LightMeterDevice() = default;
  // At a position of the log ("key", "fill", "grey card", a lamp's name). nullopt: nothing to read there.
  [[nodiscard]] virtual std::optional<Lux> incident(const std::string& position) = 0;
  [[nodiscard]] virtual std::optional<double> spotCdM2(const std::string& position) = 0;
};

class DimmerDevice {
 public:
  virtual ~DimmerDevice() = default;
  virtual void setLamp(const std::string& lamp, double percent, Metres distance) = 0;
  [[nodiscard]] virtual double percent(const std::string& lamp) const = 0;
  [[nodiscard]] virtual Metres distance(const std::string& lamp) const = 0;
};

}  // namespace edge
