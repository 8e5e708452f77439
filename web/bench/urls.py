"""Addresses of the bench."""

from django.urls import path

from web.bench import prints, programme, tone, views

urlpatterns = [
    path("bench/", views.bench_page, name="bench"),
    path("bench/require/", views.require, name="bench-require"),
    path("bench/kits/make/", views.make_kit, name="kit-make"),
    path("bench/kits/<int:number>/zip/", views.kit_zip, name="kit-zip"),
    path("bench/kits/<int:number>/cue/", views.cue, name="kit-cue"),
    path("bench/kits/<int:number>/stand-in/", prints.stand_in, name="stand-in"),
    path("bench/kits/<int:number>/prints/", prints.begin, name="prints-begin"),
    path("bench/readings/<int:number>/", prints.reading_page, name="reading"),
    path("bench/readings/<int:number>/file/", prints.take_file, name="reading-file"),
    path("bench/readings/<int:number>/read/", prints.read, name="reading-read"),
    path("bench/readings/<int:number>/progress/", prints.progress, name="reading-progress"),
    path("bench/readings/<int:number>/cancel/", prints.cancel, name="reading-cancel"),
    path("bench/readings/<int:number>/answer/", prints.answer, name="reading-answer"),
    path("bench/readings/<int:number>/map/", prints.put_into_map, name="reading-map"),
    path("bench/readings/<int:number>/fixes/", prints.fixes, name="reading-fixes"),
    path("bench/readings/<int:number>/json/", prints.as_json, name="reading-json"),
    path("bench/readings/<int:number>/forget/", prints.forget, name="reading-forget"),
    path("bench/tone/", tone.tone_page, name="tone"),
    path("bench/tone/run/", tone.run, name="tone-run"),
    path("bench/tone/progress/", tone.progress, name="tone-progress"),
    path("bench/tone/cancel/", tone.cancel, name="tone-cancel"),
    path("bench/tone/sound/", tone.sound, name="tone-sound"),
    path("bench/programme/", programme.programme_page, name="programme"),
    path("bench/programme/begin/", programme.begin, name="programme-begin"),
    path("bench/programme/<int:number>/file/", programme.take_file, name="programme-file"),
    path("bench/programme/<int:number>/measure/", programme.measure, name="programme-measure"),
    path("bench/programme/<int:number>/progress/", programme.progress, name="programme-progress"),
    path("bench/programme/<int:number>/cancel/", programme.cancel, name="programme-cancel"),
]
