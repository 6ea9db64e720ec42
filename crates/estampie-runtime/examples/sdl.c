/* Plays a bundle through SDL2's audio callback: sdl BUNDLE EVENT [SECONDS]
 *
 * The callback is the audio thread and only renders; the main thread is the game. Built with
 *   cc sdl.c $(pkg-config --cflags --libs estampie sdl2) -lm -o sdl
 */
#include "estampie.h"

#include <SDL.h>
#include <stdio.h>
#include <stdlib.h>

/* What the callback needs: the runtime, and the greatest sample that went to the device. */
typedef struct heard {
  estampie *sound;
  SDL_atomic_t frames;
  float peak;
} heard;

static void callback(void *data, Uint8 *stream, int bytes) {
  heard *to = data;
  float *out = (float *)(void *)stream;
  size_t frames = (size_t)bytes / (2 * sizeof(float));
  estampie_render(to->sound, out, frames);
  for (size_t i = 0; i < 2 * frames; i++)
    if (out[i] > to->peak) to->peak = out[i];
  SDL_AtomicAdd(&to->frames, (int)frames);
}

int main(int count, char **arguments) {
  if (count < 3) return fprintf(stderr, "sdl BUNDLE EVENT [SECONDS]\n"), 2;
  double seconds = count > 3 ? strtod(arguments[3], NULL) : 5.0;
  if (SDL_Init(SDL_INIT_AUDIO | SDL_INIT_TIMER) != 0) return fprintf(stderr, "sdl: %s\n", SDL_GetError()), 1;

  /* The device first: it says at which rate it runs, and the bundle is loaded for that. */
  static heard to;
  SDL_AudioSpec wanted, got;
  SDL_zero(wanted);
  wanted.freq = 44100;
  wanted.format = AUDIO_F32SYS;
  wanted.channels = 2;
  wanted.samples = 512;
  wanted.callback = callback;
  wanted.userdata = &to;
  SDL_AudioDeviceID device = SDL_OpenAudioDevice(NULL, 0, &wanted, &got, SDL_AUDIO_ALLOW_FREQUENCY_CHANGE);
  if (device == 0) return fprintf(stderr, "sdl: %s\n", SDL_GetError()), 1;

  char text[400];
  estampie_options options = {0};
  options.rate = (uint32_t)got.freq;
  to.sound = estampie_load(arguments[1], &options, text, sizeof text);
  if (!to.sound) return fprintf(stderr, "sdl: %s: %s\n", arguments[1], text), 1;
  uint64_t event = estampie_key(to.sound, arguments[2]);

  SDL_PauseAudioDevice(device, 0);
  estampie_event(to.sound, ESTAMPIE_NOW, event, 0);
  for (Uint32 begun = SDL_GetTicks(); SDL_GetTicks() - begun < (Uint32)(seconds * 1000.0); SDL_Delay(16))
    while (estampie_poll(to.sound, text, sizeof text)) fprintf(stderr, "%s\n", text);

  SDL_CloseAudioDevice(device); /* After it no callback runs any more. */
  printf("%d frames at %d, peak %.4f\n", SDL_AtomicGet(&to.frames), got.freq, (double)to.peak);
  estampie_free(to.sound);
  SDL_Quit();
  return 0;
}
