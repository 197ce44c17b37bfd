// The set of the rope works, simulated: one camera, one meter, one dimmer board that share its light. Hands
// make mistakes when they are told to.
#pragma once
#include <map>
#include <vector>

#include "plan/plan.h"
#include "shoot/devices.h"
#include "simulate/scenario.h"

namespace edge {

enum class Mistake { WrongIris, ForgottenNd, LightDrift };
[[nodiscard]] const char* wordOf(Mistake m);

class SimulatedSet : public CameraDevice, public LightMeterDevice, public DimmerDevice {
 public:
  // Clips are written below `folder`, named as cameras name them.
  SimulatedSet(Scenario scenario, Recipe recipe, std::filesystem::path folder);

  void set(const CameraSettings& settings) override { camera_ = settings; }
  [[nodiscard]] CameraSettings settings() const override { return camera_; }
  std::filesystem::path roll(const std::optional<QrSymbol>& slate, const Progress& progress) override;

  [[nodiscard]] std::optional<Lux> incident(const std::string& position) override;
  [[nodiscard]] std::optional<double> spotCdM2(const std::string& position) override;

  void setLamp(const std::string& lamp, double percent, Metres distance) override;
  [[nodiscard]] double percent(const std::string& lamp) const override;
  [[nodiscard]] Metres distance(const std::string& lamp) const override;

  // Everything as a take wants it, by hands that do as they are told.
  void prepare(const Plan& plan, const Take& take);
  // The next prepare or roll goes wrong: iris a stop too wide, ND left as it was, light half a stop down
  // within the clip.
  void inject(Mistake mistake) { mistakes_.push_back(mistake); }
  [[nodiscard]] int clipsRolled() const { return clips_; }

 private:
  [[nodiscard]] double lampLux(const std::string& lamp) const;
  [[nodiscard]] double keyLux() const;
  [[nodiscard]] double reading(double exact) const;  // as a meter shows it: to a tenth of a stop
  [[nodiscard]] const SceneImage& image();           // what the camera sees; drawn when it is first rolled
  bool takeMistake(Mistake m);

  Scenario scenario_;
  Recipe recipe_;
  std::filesystem::path folder_;
  CameraSettings camera_;
  struct LampState {
    double percent = 0;
    Metres distance{2};
  };
  std::map<std::string, LampState> lamps_;
  std::vector<LampSetting> burning_;  // as of the last take; empty: none was prepared
  Scene scene_ = Scene::Bench;
  double wedgeLux_ = 0;
  double gel_ = 0;
  int frames_ = 4;
  std::vector<Mistake> mistakes_;
  std::map<Scene, SceneImage> images_;
  int clips_ = 0;
};

}  // namespace edge
