"""Addresses of accounts."""

from django.contrib.auth.views import LogoutView
from django.urls import path

from web.accounts import administration, views

urlpatterns = [
    path("sign-in/", views.SignIn.as_view(), name="sign-in"),
    path("sign-in/code/", views.sign_in_code, name="sign-in-code"),
    path("sign-in/<str:token>/", views.sign_in_by_link, name="sign-in-link"),
    path("sign-out/", LogoutView.as_view(), name="sign-out"),
    path("invitation/<str:token>/", views.invitation, name="invitation"),
    path("new-password/", views.lost_password, name="lost-password"),
    path("new-password/<str:uidb64>/<str:token>/", views.NewPassword.as_view(), name="new-password"),
    path("account/", views.account, name="account"),
    path("account/sign-out-everywhere/", views.sign_out_everywhere, name="sign-out-everywhere"),
    path("account/two-step/", views.two_step_on, name="two-step"),
    path("account/two-step/off/", views.two_step_off, name="two-step-off"),
    path("administration/", administration.administration, name="administration"),
    path("administration/invite/", administration.invite, name="invite"),
    path("administration/invitations/<int:number>/withdraw/", administration.withdraw, name="withdraw"),
    path("administration/people/<int:number>/reset/", administration.reset_link, name="reset-link"),
    path("administration/people/<int:number>/change/", administration.change, name="change-account"),
]
