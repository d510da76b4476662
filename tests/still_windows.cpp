// A game for tests, for Windows: presents frames of one colour, (40, 80, 120), in a window of 320x240 without a border.
//
//   still_windows.exe gl|d3d9|d3d11 FRAMES [PAUSE_MS]
//
// Prints "presented N". Its window is at the screen's corner.
#include <windows.h>
// after windows.h
#include <GL/gl.h>
#include <d3d11.h>
#include <d3d9.h>

#include <cstdio>
#include <cstdlib>
#include <string>

namespace {

int fail(const char* what) {
  std::printf("cannot %s\n", what);
  return 3;
}

void look_at_messages() {
  MSG message;
  while (PeekMessageA(&message, nullptr, 0, 0, PM_REMOVE) != 0) DispatchMessageA(&message);
}

struct Plan {
  int frames, pause;

  template <typename Present>
  [[nodiscard]] int play(Present present) const {
    for (int i = 0; i < frames; ++i) {
      look_at_messages();
      if (!present()) return fail("present");
      if (pause > 0) Sleep(static_cast<DWORD>(pause));
    }
    std::printf("presented %d\n", frames);
    return 0;
  }
};

int play_gl(HWND window, const Plan& plan) {
  const HDC screen = GetDC(window);
  PIXELFORMATDESCRIPTOR format = {sizeof format, 1, PFD_DRAW_TO_WINDOW | PFD_SUPPORT_OPENGL | PFD_DOUBLEBUFFER};
  format.cColorBits = 24;
  if (SetPixelFormat(screen, ChoosePixelFormat(screen, &format), &format) == 0) return fail("set a pixel format");
  const HGLRC context = wglCreateContext(screen);
  if (wglMakeCurrent(screen, context) == 0) return fail("make a context");
  glClearColor(40 / 255.F, 80 / 255.F, 120 / 255.F, 1);
  return plan.play([&] {
    glClear(GL_COLOR_BUFFER_BIT);
    return SwapBuffers(screen) != 0;
  });
}

int play_d3d9(HWND window, const Plan& plan) {
  IDirect3D9* const d3d = Direct3DCreate9(D3D_SDK_VERSION);
  D3DPRESENT_PARAMETERS how = {};
  how.Windowed = TRUE;
  how.SwapEffect = D3DSWAPEFFECT_DISCARD;
  how.PresentationInterval = D3DPRESENT_INTERVAL_IMMEDIATE;
  IDirect3DDevice9* device = nullptr;
  if (d3d == nullptr || FAILED(d3d->CreateDevice(D3DADAPTER_DEFAULT, D3DDEVTYPE_HAL, window,
                                                 D3DCREATE_HARDWARE_VERTEXPROCESSING, &how, &device)))
    return fail("make a Direct3D 9 device");
  const int status = plan.play([&] {
    device->Clear(0, nullptr, D3DCLEAR_TARGET, D3DCOLOR_XRGB(40, 80, 120), 1, 0);
    return SUCCEEDED(device->Present(nullptr, nullptr, nullptr, nullptr));
  });
  device->Release();
  d3d->Release();
  return status;
}

int play_d3d11(HWND window, const Plan& plan) {
  DXGI_SWAP_CHAIN_DESC how = {};
  how.BufferDesc.Format = DXGI_FORMAT_R8G8B8A8_UNORM;
  how.SampleDesc.Count = 1;
  how.BufferUsage = DXGI_USAGE_RENDER_TARGET_OUTPUT;
  how.BufferCount = 1;
  how.OutputWindow = window;
  how.Windowed = TRUE;
  IDXGISwapChain* chain = nullptr;
  ID3D11Device* device = nullptr;
  ID3D11DeviceContext* context = nullptr;
  if (FAILED(D3D11CreateDeviceAndSwapChain(nullptr, D3D_DRIVER_TYPE_HARDWARE, nullptr, 0, nullptr, 0, D3D11_SDK_VERSION,
                                           &how, &chain, &device, nullptr, &context)))
    return fail("make a Direct3D 11 device");
  ID3D11Texture2D* picture = nullptr;
  ID3D11RenderTargetView* target = nullptr;
  if (FAILED(chain->GetBuffer(0, __uuidof(ID3D11Texture2D), reinterpret_cast<void**>(&picture))) ||
      FAILED(device->CreateRenderTargetView(picture, nullptr, &target)))
    return fail("get the picture");
  const float colour[] = {40 / 255.F, 80 / 255.F, 120 / 255.F, 1};
  const int status = plan.play([&] {
    context->ClearRenderTargetView(target, colour);
    return SUCCEEDED(chain->Present(0, 0));
  });
  target->Release();
  picture->Release();
  context->Release();
  chain->Release();
  device->Release();
  return status;
}

}  // namespace

int main(int argc, char** argv) {
  const std::string api = argc > 1 ? argv[1] : "gl";
  const Plan plan{argc > 2 ? std::atoi(argv[2]) : 60, argc > 3 ? std::atoi(argv[3]) : 0};
  WNDCLASSA kind = {};
  kind.style = CS_OWNDC;
  kind.lpfnWndProc = &DefWindowProcA;
  kind.lpszClassName = "Still";
  RegisterClassA(&kind);
  const HWND window =
      CreateWindowA("Still", "Still", WS_POPUP | WS_VISIBLE, 0, 0, 320, 240, nullptr, nullptr, nullptr, nullptr);
  if (window == nullptr) return fail("open a window");
  return api == "d3d9" ? play_d3d9(window, plan) : api == "d3d11" ? play_d3d11(window, plan) : play_gl(window, plan);
}
