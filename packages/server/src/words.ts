import type { Language } from "@loyal-quill/core";
import type { Request } from "express";

/** What the application says beside its pages: sign-in, home, and what went wrong. The workbench is in English. */
const english = {
  "sign-in": "Sign in",
  email: "E-mail address",
  password: "Password",
  wrong: "The e-mail address or the password is not right. Try again.",
  off: "This account is disabled. Ask the person who looks after this application.",
  expired: "The form was too old. Sign in again.",
  often: "Too many tries. Wait a quarter of an hour and try again.",
  "form-kept": "What you typed in your form is kept: it is shown again after you have signed in.",
  "signed-in": "You are signed in",
  "form-again": "Your form is shown again with what you typed. Nothing is saved before you press its button.",
  home: "Home",
  pages: "Pages",
  "no-page": "No page is open to you yet.",
  "to-workbench": "Go to the workbench",
  "to-pages": "To the list of pages",
  "no-builder": "The workbench is not open to you",
  "no-builder-advice": "It is open to accounts with the role builder.",
  "went-wrong": "Something went wrong here",
  "went-wrong-advice":
    "The people who look after this application find it in its log. Open the record to see whether it was changed.",
  unreadable: "This can't be read",
  "unreadable-advice": "What was sent is not what this address takes.",
} as const;

export type ServerWord = keyof typeof english;

const german: Readonly<Record<ServerWord, string>> = {
  "sign-in": "Anmelden",
  email: "E-Mail-Adresse",
  password: "Passwort",
  wrong: "Die E-Mail-Adresse oder das Passwort stimmt nicht. Versuchen Sie es noch einmal.",
  off: "Dieses Konto ist gesperrt. Wenden Sie sich an die Person, die diese Anwendung betreut.",
  expired: "Das Formular war zu alt. Melden Sie sich noch einmal an.",
  often: "Zu viele Versuche. Warten Sie eine Viertelstunde und versuchen Sie es dann noch einmal.",
  "form-kept": "Ihre Eingaben im Formular sind noch da: Nach der Anmeldung werden sie wieder angezeigt.",
  "signed-in": "Sie sind angemeldet",
  "form-again":
    "Ihr Formular wird mit Ihren Eingaben wieder angezeigt. Gespeichert wird erst, wenn Sie seinen Knopf drücken.",
  home: "Startseite",
  pages: "Seiten",
  "no-page": "Ihnen steht noch keine Seite offen.",
  "to-workbench": "Zur Werkbank",
  "to-pages": "Zur Liste der Seiten",
  "no-builder": "Die Werkbank steht Ihnen nicht offen",
  "no-builder-advice": "Sie steht Konten mit der Rolle builder offen.",
  "went-wrong": "Hier ist etwas schiefgegangen",
  "went-wrong-advice":
    "Wer diese Anwendung betreut, findet es in ihrem Protokoll. Öffnen Sie den Datensatz, um zu sehen, ob er geändert wurde.",
  unreadable: "Das kann nicht gelesen werden",
  "unreadable-advice": "Was gesendet wurde, nimmt diese Adresse nicht an.",
};

const arabic: Readonly<Record<ServerWord, string>> = {
  "sign-in": "تسجيل الدخول",
  email: "البريد الإلكتروني",
  password: "كلمة المرور",
  wrong: "البريد الإلكتروني أو كلمة المرور غير صحيحة. حاول مرة أخرى.",
  off: "هذا الحساب معطَّل. اسأل المسؤول عن هذا التطبيق.",
  expired: "انتهت صلاحية النموذج. سجّل الدخول مرة أخرى.",
  often: "محاولات كثيرة جدًا. انتظر ربع ساعة ثم حاول مجددًا.",
  "form-kept": "ما كتبته في النموذج محفوظ: سيظهر مجددًا بعد تسجيل الدخول.",
  "signed-in": "تم تسجيل دخولك",
  "form-again": "يظهر نموذجك مجددًا بما كتبته. لا يُحفظ شيء قبل أن تضغط زره.",
  home: "الرئيسية",
  pages: "الصفحات",
  "no-page": "لا توجد صفحة متاحة لك بعد.",
  "to-workbench": "إلى ورشة العمل",
  "to-pages": "إلى قائمة الصفحات",
  "no-builder": "ورشة العمل غير متاحة لك",
  "no-builder-advice": "هي متاحة للحسابات التي لها دور builder.",
  "went-wrong": "حدث خطأ هنا",
  "went-wrong-advice": "يجده المسؤولون عن هذا التطبيق في سجلّه. افتح السجل لترى هل تغيّر.",
  unreadable: "تتعذر قراءة هذا",
  "unreadable-advice": "ما أُرسل ليس مما يقبله هذا العنوان.",
};

const catalogs: Readonly<Record<Language, Readonly<Record<ServerWord, string>>>> = {
  en: english,
  de: german,
  ar: arabic,
};

export const say = (language: Language, code: ServerWord): string => catalogs[language][code];

/** The language that a person would rather read, by what their browser says (RFC 9110, 12.5.4); English where it is none of ours. */
export const languageOf = (request: Request): Language => {
  const found = request.acceptsLanguages("en", "de", "ar");
  return found === "de" || found === "ar" ? found : "en";
};
